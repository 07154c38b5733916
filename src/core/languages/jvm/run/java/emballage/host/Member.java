package emballage.host;

import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.InputStream;
import java.io.OutputStream;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Modifier;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.Future;

/** The method that is called with events. */
final class Member {
  private final Method method;
  private final Object target;

  private Member(Method method, Object target) {
    this.method = method;
    this.target = target;
  }

  /** There is no method of the name, or there are several. */
  static final class NoMember extends Exception {
    private static final long serialVersionUID = 1;
    final String found;
    final List<String> members;

    NoMember(String found, List<String> members) {
      super("no single public method of that name, but " + members);
      this.found = found;
      this.members = members;
    }
  }

  static Member load(String className, String member) throws Throwable {
    try {
      Class<?> type = Class.forName(className, true, Member.class.getClassLoader());
      List<Method> named = new ArrayList<>();
      TreeSet<String> members = new TreeSet<>();
      for (Method one : type.getMethods()) {
        if (one.getDeclaringClass() == Object.class || one.isBridge() || one.isSynthetic()) continue;
        members.add(one.getName());
        if (one.getName().equals(member)) named.add(one);
      }
      if (named.size() != 1)
        throw new NoMember(named.isEmpty() ? "undefined" : named.size() + " methods of that name", new ArrayList<>(members));
      if (!Modifier.isPublic(type.getModifiers()))
        throw new NoMember("method of a class that is not public", new ArrayList<>(members));
      Method method = named.get(0);
      int most = isStreams(method.getParameterTypes()) ? 3 : 2;
      int count = method.getParameterCount();
      if (count == 0 || count > most)
        throw new NoMember("method with " + count + " parameters, where an event and a context are given", new ArrayList<>(members));
      method.setAccessible(true);
      boolean isStatic = Modifier.isStatic(method.getModifiers());
      return new Member(method, isStatic ? null : type.getConstructor().newInstance());
    } catch (Throwable error) {
      throw cause(error);
    }
  }

  /** What it returns; what comes later is waited for. */
  Object invoke(Object event, Map<String, Object> context) throws Throwable {
    try {
      Class<?>[] types = method.getParameterTypes();
      boolean isStreams = isStreams(types);
      ByteArrayOutputStream written = new ByteArrayOutputStream();
      Object[] values = new Object[types.length];
      for (int i = 0; i < types.length; i++)
        values[i] = i == 0 ? Json.as(event, method.getGenericParameterTypes()[0]) : isStreams && i == 1 ? written : context;
      Object value = method.invoke(target, values);
      if (!isStreams) return settled(value);
      String text = written.toString(StandardCharsets.UTF_8.name());
      return text.trim().isEmpty() ? null : Json.parse(text);
    } catch (Throwable error) {
      throw cause(error);
    }
  }

  /** The answer as JSON. */
  String call(Object event, Map<String, Object> context) throws Throwable {
    return Json.write(invoke(event, context));
  }

  private static boolean isStreams(Class<?>[] types) {
    return types.length > 1 && types[0] == InputStream.class && types[1] == OutputStream.class;
  }

  /** Bytes hold JSON, as what is written to a stream does. */
  private static Object settled(Object value) throws Exception {
    Object found = value instanceof CompletionStage ? ((CompletionStage<?>) value).toCompletableFuture().get()
        : value instanceof Future ? ((Future<?>) value).get() : value;
    return found instanceof byte[] ? Json.parse(new String((byte[]) found, StandardCharsets.UTF_8)) : found;
  }

  private static Throwable cause(Throwable error) {
    Throwable inner = error;
    while ((inner instanceof InvocationTargetException || inner instanceof java.util.concurrent.ExecutionException
        || inner instanceof ExceptionInInitializerError) && inner.getCause() != null) inner = inner.getCause();
    return inner;
  }

  /** Bytes of a JSON document, as a stream would bring them. */
  static InputStream stream(Object value) {
    return new ByteArrayInputStream(Json.write(value).getBytes(StandardCharsets.UTF_8));
  }
}
