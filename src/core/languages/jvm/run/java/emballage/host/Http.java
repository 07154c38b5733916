package emballage.host;

import com.sun.net.httpserver.Headers;
import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.InetSocketAddress;
import java.net.URLDecoder;
import java.nio.charset.StandardCharsets;
import java.util.Base64;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.Executors;
import java.util.concurrent.Semaphore;
import java.util.concurrent.atomic.AtomicInteger;

/** Gives a function CloudEvents that come by HTTP on the port in PORT (HTTP Protocol Binding 1.0.2, structured and binary mode). */
final class Http {
  private final Start start;
  private final Semaphore turns;
  private final AtomicInteger running = new AtomicInteger();
  private volatile boolean isEnding;

  Http(Start start) {
    this.start = start;
    turns = new Semaphore((int) start.number("concurrency"), true);
  }

  private static final class Refused extends Exception {
    final int status;

    Refused(int status, String message) {
      super(message);
      this.status = status;
    }
  }

  void serve() throws IOException {
    String port = System.getenv("PORT");
    HttpServer server = HttpServer.create(new InetSocketAddress(port == null || port.isEmpty() ? 8080 : Integer.parseInt(port)), 128);
    server.setExecutor(Executors.newCachedThreadPool());
    server.createContext("/", this::handle);
    Runtime.getRuntime().addShutdownHook(new Thread(() -> {
      // What has begun is answered.
      isEnding = true;
      long until = System.nanoTime() + start.number("stopMs") * 1_000_000;
      while (running.get() > 0 && System.nanoTime() < until) pause();
      System.err.flush();
      Runtime.getRuntime().halt(running.get() == 0 ? 0 : 1);
    }));
    server.start();
  }

  private static void pause() {
    try {
      Thread.sleep(10);
    } catch (InterruptedException interrupted) {
      Thread.currentThread().interrupt();
    }
  }

  private void handle(HttpExchange exchange) throws IOException {
    running.incrementAndGet();
    try {
      if (exchange.getRequestURI().getPath().equals(start.plan.get("health")) && exchange.getRequestMethod().equals("GET"))
        send(exchange, 200, "text/plain", "ready\n");
      else if (isEnding) send(exchange, 503, "application/json", refusal("ending", "the function is being ended"));
      else answer(exchange);
    } finally {
      exchange.close();
      running.decrementAndGet();
    }
  }

  private void answer(HttpExchange exchange) throws IOException {
    turns.acquireUninterruptibly();
    try {
      send(exchange, 200, "application/json", start.call(event(exchange)));
    } catch (Refused refused) {
      exchange.getResponseHeaders().set("connection", "close");
      send(exchange, refused.status, "application/json", refusal("the request is no event", refused.getMessage()));
    } catch (Throwable error) {
      error.printStackTrace();
      send(exchange, 500, "application/json", refusal(error.getClass().getName(), String.valueOf(error.getMessage())));
    } finally {
      turns.release();
    }
  }

  private static String refusal(String error, String message) {
    Map<String, Object> told = new LinkedHashMap<>();
    told.put("error", error);
    told.put("message", message);
    return Json.write(told) + "\n";
  }

  private static void send(HttpExchange exchange, int status, String type, String text) throws IOException {
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    exchange.getResponseHeaders().set("content-type", type);
    boolean isHead = exchange.getRequestMethod().equals("HEAD");
    exchange.sendResponseHeaders(status, isHead ? -1 : bytes.length);
    try (OutputStream out = exchange.getResponseBody()) {
      if (!isHead) out.write(bytes);
    }
  }

  private byte[] body(HttpExchange exchange) throws IOException, Refused {
    long most = start.number("mostBytes");
    ByteArrayOutputStream all = new ByteArrayOutputStream();
    byte[] piece = new byte[65536];
    InputStream in = exchange.getRequestBody();
    long read = 0;
    // What is too much is read all the same, up to a bound: who still sends does not see an answer.
    for (int length = in.read(piece); length >= 0 && read <= 4 * most; length = in.read(piece)) {
      read += length;
      if (read <= most) all.write(piece, 0, length);
    }
    if (read > most) throw new Refused(413, "the body has more than " + most + " bytes");
    return all.toByteArray();
  }

  /** HTTP Protocol Binding, section 3; what is no event is taken as the data of one. */
  private Map<?, ?> event(HttpExchange exchange) throws IOException, Refused {
    if (!exchange.getRequestMethod().equals("POST"))
      throw new Refused(405, "events come by POST, not by " + exchange.getRequestMethod());
    byte[] body = body(exchange);
    Headers headers = exchange.getRequestHeaders();
    String stated = headers.getFirst("content-type");
    String type = stated == null ? "" : stated.split(";")[0].trim().toLowerCase(Locale.ROOT);
    if (type.startsWith("application/cloudevents")) {
      if (!type.equals("application/cloudevents+json")) throw new Refused(415, "events in JSON are read, not " + type);
      return checked(parsed(body));
    }
    boolean isJson = type.isEmpty() || type.endsWith("/json") || type.endsWith("+json");
    Map<String, Object> event = new LinkedHashMap<>();
    if (headers.getFirst("ce-specversion") == null) {
      event.put("specversion", "1.0");
      event.put("id", "request");
      event.put("source", "/http");
      event.put("type", "http.request");
    } else
      for (Map.Entry<String, List<String>> header : headers.entrySet()) {
        String name = header.getKey().toLowerCase(Locale.ROOT);
        if (name.startsWith("ce-")) event.put(name.substring(3), decoded(header.getValue().get(0)));
      }
    if (body.length > 0) {
      event.put("datacontenttype", type.isEmpty() ? "application/json" : type);
      if (isJson) event.put("data", parsed(body));
      else if (type.startsWith("text/")) event.put("data", new String(body, StandardCharsets.UTF_8));
      else event.put("data_base64", Base64.getEncoder().encodeToString(body));
    }
    return checked(event);
  }

  private static String decoded(String text) {
    // A plus is itself here, not a space.
    return URLDecoder.decode(text.replace("+", "%2B"), StandardCharsets.UTF_8);
  }

  private static Object parsed(byte[] body) throws Refused {
    try {
      return Json.parse(new String(body, StandardCharsets.UTF_8));
    } catch (RuntimeException bad) {
      throw new Refused(400, "the body is no JSON: " + bad.getMessage());
    }
  }

  /** CloudEvents 1.0, "Required attributes". */
  private static Map<?, ?> checked(Object value) throws Refused {
    if (!(value instanceof Map)) throw new Refused(400, "the body is no event");
    Map<?, ?> event = (Map<?, ?>) value;
    if (!"1.0".equals(event.get("specversion"))) throw new Refused(400, "`specversion` is " + event.get("specversion") + ", not 1.0");
    for (String name : List.of("id", "source", "type"))
      if (!(event.get(name) instanceof String) || ((String) event.get(name)).isEmpty()) throw new Refused(400, "the event has no `" + name + "`");
    return event;
  }
}
