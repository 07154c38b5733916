package emballage.host;

import java.io.BufferedReader;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.FileDescriptor;
import java.io.FileInputStream;
import java.io.FileOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.OutputStream;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.lang.reflect.Field;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Modifier;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.Future;

/**
 * Runs inside the process that stands in for a host: loads one method and calls it with the events that arrive. Commands
 * come as JSON lines on descriptor 3, answers go as JSON lines on descriptor 4, each with the secret mark that came with the
 * first command, so that whatever the function writes there by itself is told from an answer.
 */
public final class Runner {
  private final OutputStream answers;
  private String mark = "";
  private Map<?, ?> plan = Map.of();
  private Method method;
  private Object target;

  private Runner(OutputStream answers) {
    this.answers = answers;
  }

  public static void main(String[] args) throws Exception {
    InputStream commands = new FileInputStream(descriptor(3));
    new Runner(new FileOutputStream(descriptor(4))).serve(commands);
  }

  private static FileDescriptor descriptor(int number) throws Exception {
    FileDescriptor descriptor = new FileDescriptor();
    Field field = FileDescriptor.class.getDeclaredField("fd");
    field.setAccessible(true);
    field.setInt(descriptor, number);
    return descriptor;
  }

  private void serve(InputStream commands) throws Exception {
    BufferedReader lines = new BufferedReader(new InputStreamReader(commands, StandardCharsets.UTF_8));
    for (String line = lines.readLine(); line != null; line = lines.readLine()) {
      Map<?, ?> command = (Map<?, ?>) Json.parse(line);
      if ("load".equals(command.get("kind"))) load(command);
      else call(command);
    }
    System.exit(0);
  }

  private void load(Map<?, ?> command) throws IOException {
    mark = (String) command.get("mark");
    plan = command;
    String member = (String) command.get("member");
    try {
      Class<?> type = Class.forName((String) command.get("className"), true, Runner.class.getClassLoader());
      List<Method> named = new ArrayList<>();
      TreeSet<String> members = new TreeSet<>();
      for (Method one : type.getMethods()) {
        if (one.getDeclaringClass() == Object.class || one.isBridge() || one.isSynthetic()) continue;
        members.add(one.getName());
        if (one.getName().equals(member)) named.add(one);
      }
      if (named.size() != 1) {
        String found = named.isEmpty() ? "undefined" : named.size() + " methods of that name";
        answer(Map.of("kind", "no-member", "found", found, "members", new ArrayList<>(members)));
        return;
      }
      method = named.get(0);
      method.setAccessible(true);
      if (!Modifier.isStatic(method.getModifiers())) target = type.getConstructor().newInstance();
      answer(Map.of("kind", "loaded"));
    } catch (Throwable error) {
      answer(failure("load-failed", cause(error)));
    }
  }

  private void call(Map<?, ?> command) throws IOException {
    Map<String, Object> context = new LinkedHashMap<>();
    context.put("name", plan.get("name"));
    context.put("run", command.get("run"));
    context.put("deadline", command.get("deadline"));
    context.put("memory", plan.get("memory"));
    Object value;
    try {
      value = settled(invoke(command.get("event"), context));
    } catch (Throwable error) {
      answer(failure("threw", cause(error)));
      return;
    }
    try {
      String json = value instanceof RawJson ? ((RawJson) value).text : Json.write(value);
      Map<String, Object> result = new LinkedHashMap<>();
      result.put("kind", "result");
      result.put("json", json);
      result.put("nothing", value == null);
      answer(result);
    } catch (RuntimeException fault) {
      answer(Map.of("kind", "not-json", "fault", String.valueOf(fault.getMessage())));
    }
  }

  private Object invoke(Object event, Map<String, Object> context) throws Exception {
    Class<?>[] types = method.getParameterTypes();
    boolean isStreams = types.length > 1 && types[0] == InputStream.class && types[1] == OutputStream.class;
    ByteArrayOutputStream written = new ByteArrayOutputStream();
    Object[] values = new Object[types.length];
    for (int i = 0; i < types.length; i++)
      values[i] = i == 0 ? Json.as(event, method.getGenericParameterTypes()[0]) : isStreams && i == 1 ? written : context;
    Object value = method.invoke(target, values);
    if (!isStreams) return value;
    String text = written.toString(StandardCharsets.UTF_8.name());
    return text.trim().isEmpty() ? null : new RawJson(Json.write(Json.parse(text)));
  }

  /** What comes later is waited for. */
  private static Object settled(Object value) throws Exception {
    if (value instanceof CompletionStage) return ((CompletionStage<?>) value).toCompletableFuture().get();
    return value instanceof Future ? ((Future<?>) value).get() : value;
  }

  private static Throwable cause(Throwable error) {
    Throwable inner = error;
    while ((inner instanceof InvocationTargetException || inner instanceof java.util.concurrent.ExecutionException
        || inner instanceof ExceptionInInitializerError) && inner.getCause() != null) inner = inner.getCause();
    return inner;
  }

  private static Map<String, Object> failure(String kind, Throwable error) {
    StringWriter stack = new StringWriter();
    error.printStackTrace(new PrintWriter(stack));
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("name", error.getClass().getName());
    facts.put("message", String.valueOf(error.getMessage()));
    facts.put("stack", stack.toString());
    String missing = missing(error);
    if (missing != null) facts.put("missing", missing);
    Map<String, Object> answer = new LinkedHashMap<>();
    answer.put("kind", kind);
    answer.put("error", facts);
    return answer;
  }

  /** The class that was looked for, `a.b.C`; it may stand deep among the causes. */
  private static String missing(Throwable error) {
    for (Throwable at = error; at != null; at = at.getCause() == at ? null : at.getCause())
      if (at instanceof ClassNotFoundException || at instanceof NoClassDefFoundError) {
        String name = String.valueOf(at.getMessage()).replace('/', '.');
        return name.matches("[\\w.$]+") ? name : null;
      }
    return null;
  }

  private void answer(Map<String, ?> facts) throws IOException {
    Map<String, Object> all = new LinkedHashMap<>(facts);
    all.put("mark", mark);
    answers.write((Json.write(all) + "\n").getBytes(StandardCharsets.UTF_8));
    answers.flush();
  }

  private static final class RawJson {
    final String text;

    RawJson(String text) {
      this.text = text;
    }
  }

  /** Bytes of a JSON document, as a stream would bring them. */
  static InputStream stream(Object value) {
    return new ByteArrayInputStream(Json.write(value).getBytes(StandardCharsets.UTF_8));
  }
}
