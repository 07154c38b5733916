# Where the parts of a request stand in an event, and those of a response in an answer.
_SHAPE = json.loads({shape})
_REQUEST = _SHAPE["request"]
_RESPONSE = _SHAPE["response"]
# Whether an event is given as its data alone.
_IS_DATA = {data}


def _at(value, place):
    for part in place:
        if isinstance(value, dict):
            value = value.get(part)
        elif isinstance(value, list) and part.isdigit() and int(part) < len(value):
            value = value[int(part)]
        else:
            return None
    return value


def _put(document, place, value):
    for part in place[:-1]:
        document = document.setdefault(part, {{}})
    document[place[-1]] = value


def _in_request(data, part, default=None):
    value = _at(data, _REQUEST[part]) if part in _REQUEST else None
    return default if value is None else value


def _request(event):
    """The request in an event: method, path, query, header values by name in small letters, body, scheme, client."""
    data = event if _IS_DATA else event.get("data") if isinstance(event, dict) else None
    wanted = [_REQUEST[part] for part in ("method", "path") if part in _REQUEST]
    if wanted and all(_at(data, place) is None for place in wanted):
        places = " or ".join("/" + "/".join(place) for place in wanted)
        raise ValueError(f"the event is no web request: there is nothing at {{places}}")
    return types.SimpleNamespace(
        method=_in_request(data, "method", "GET").upper(),
        path=_in_request(data, "path", "/"),
        query=_query(data),
        headers=_headers(data),
        body=_body(data),
        scheme=_in_request(data, "scheme", "http"),
        remote=_in_request(data, "remote", ""),
    )


def _query(data):
    value = _at(data, _REQUEST["query"]["at"]) if "query" in _REQUEST else None
    if not isinstance(value, dict):
        return value or ""
    return urlencode([(name, one) for name, some in value.items() for one in (some if isinstance(some, list) else [some])])


def _headers(data):
    """A value may be a text or a list of texts."""
    headers = {{}}
    stated = _at(data, _REQUEST["headers"]["at"]) if "headers" in _REQUEST else None
    for name, value in (stated or {{}}).items():
        headers.setdefault(name.lower(), []).extend(value if isinstance(value, list) else [value])
    cookies = _in_request(data, "cookies")
    if cookies:
        headers.setdefault("cookie", []).append("; ".join(cookies))
    return headers


def _header(request, name, default):
    return (request.headers.get(name) or [default])[0]


def _body(data):
    encoded = _in_request(data, "bodyBase64")
    if encoded is not None:
        return base64.b64decode(encoded)
    body = _in_request(data, "body") or ""
    return base64.b64decode(body) if _in_request(data, "base64") is True else body.encode()


def _answer(status, headers, body):
    """The answer for a response; a body that is no text goes in base64."""
    answer = {{}}
    for place, value in _RESPONSE["with"]:
        _put(answer, place, value)
    if "status" in _RESPONSE:
        _put(answer, _RESPONSE["status"], status)
    found = {{}}
    for name, value in headers:
        found.setdefault(name.lower(), []).append(value)
    if "cookies" in _RESPONSE and "set-cookie" in found:
        _put(answer, _RESPONSE["cookies"], found.pop("set-cookie"))
    if "headers" in _RESPONSE:
        form = _RESPONSE["headers"]["as"]
        _put(answer, _RESPONSE["headers"]["at"], {{name: _written(some, form) for name, some in found.items()}})
    try:
        text, is_text = body.decode(), True
    except UnicodeDecodeError:
        text, is_text = base64.b64encode(body).decode(), False
    if not is_text and "base64" not in _RESPONSE and "bodyBase64" not in _RESPONSE:
        raise ValueError("the answer is no text, and the destination states no place for another")
    if "base64" in _RESPONSE:
        _put(answer, _RESPONSE["base64"], not is_text)
    place = "body" if is_text or "bodyBase64" not in _RESPONSE else "bodyBase64"
    if place in _RESPONSE:
        _put(answer, _RESPONSE[place], text)
    return answer


def _written(values, form):
    if form == "lists":
        return values
    if form == "mapping":
        return ", ".join(values)
    return values[0] if len(values) == 1 else values
