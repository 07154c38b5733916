
def _headers(request):
    """Header values by name in small letters; a value may be a text or a list of texts."""
    headers = {}
    for name, value in (request.get("headers") or {}).items():
        headers.setdefault(name.lower(), []).extend(value if isinstance(value, list) else [value])
    cookies = request.get("cookies")
    if cookies:
        headers.setdefault("cookie", []).append("; ".join(cookies))
    return headers


def _header(request, name, default):
    return (_headers(request).get(name) or [default])[0]


def _body(request):
    if "body-base64" in request:
        return base64.b64decode(request["body-base64"])
    return (request.get("body") or "").encode()


def _answer(status, headers, body):
    """Repeated headers become lists; a body that is no text goes in base64."""
    found = {}
    for name, value in headers:
        found.setdefault(name.lower(), []).append(value)
    answer = {"status": status, "headers": {name: some[0] if len(some) == 1 else some for name, some in found.items()}}
    try:
        answer["body"] = body.decode()
    except UnicodeDecodeError:
        answer["body-base64"] = base64.b64encode(body).decode()
    return answer
