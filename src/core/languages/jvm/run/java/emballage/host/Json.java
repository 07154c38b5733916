package emballage.host;

import java.io.InputStream;
import java.lang.reflect.Array;
import java.lang.reflect.Constructor;
import java.lang.reflect.Field;
import java.lang.reflect.Method;
import java.lang.reflect.Modifier;
import java.lang.reflect.ParameterizedType;
import java.lang.reflect.Type;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** JSON (RFC 8259) to objects and back: maps, lists, texts, numbers; records and plain objects with fields or getters. */
final class Json {
  private static final int MAX_DEPTH = 500;
  private final String text;
  private int at;

  private Json(String text) {
    this.text = text;
  }

  static Object parse(String text) {
    Json json = new Json(text);
    Object value = json.value(0);
    json.space();
    if (json.at < text.length()) throw json.bad();
    return value;
  }

  private Object value(int depth) {
    if (depth > MAX_DEPTH) throw new IllegalArgumentException("JSON nested too deeply");
    space();
    if (at >= text.length()) throw bad();
    char first = text.charAt(at);
    if (first == '{') return object(depth);
    if (first == '[') return list(depth);
    if (first == '"') return string();
    if (take("true")) return Boolean.TRUE;
    if (take("false")) return Boolean.FALSE;
    if (take("null")) return null;
    return number();
  }

  private Map<String, Object> object(int depth) {
    Map<String, Object> map = new LinkedHashMap<>();
    at++;
    space();
    if (take("}")) return map;
    do {
      space();
      String key = string();
      space();
      if (!take(":")) throw bad();
      map.put(key, value(depth + 1));
      space();
    } while (take(","));
    if (!take("}")) throw bad();
    return map;
  }

  private List<Object> list(int depth) {
    List<Object> list = new ArrayList<>();
    at++;
    space();
    if (take("]")) return list;
    do {
      list.add(value(depth + 1));
      space();
    } while (take(","));
    if (!take("]")) throw bad();
    return list;
  }

  private String string() {
    if (!take("\"")) throw bad();
    StringBuilder result = new StringBuilder();
    while (at < text.length() && text.charAt(at) != '"') {
      char unit = text.charAt(at++);
      if (unit != '\\') {
        result.append(unit);
        continue;
      }
      char escaped = text.charAt(at++);
      int known = "bfnrt".indexOf(escaped);
      if (escaped == 'u') {
        result.append((char) Integer.parseInt(text.substring(at, at + 4), 16));
        at += 4;
      } else result.append(known < 0 ? escaped : "\b\f\n\r\t".charAt(known));
    }
    if (!take("\"")) throw bad();
    return result.toString();
  }

  private Object number() {
    int start = at;
    while (at < text.length() && "+-.eE0123456789".indexOf(text.charAt(at)) >= 0) at++;
    String digits = text.substring(start, at);
    if (digits.isEmpty()) throw bad();
    if (digits.matches("-?\\d{1,9}")) return Integer.valueOf(digits);
    if (digits.matches("-?\\d{1,18}")) return Long.valueOf(digits);
    if (digits.matches("-?\\d+")) return new BigInteger(digits);
    Double near = Double.valueOf(digits);
    BigDecimal exact = new BigDecimal(digits);
    return near.isInfinite() || exact.compareTo(BigDecimal.valueOf(near)) != 0 ? exact : near;
  }

  private void space() {
    while (at < text.length() && " \t\r\n".indexOf(text.charAt(at)) >= 0) at++;
  }

  private boolean take(String word) {
    if (!text.startsWith(word, at)) return false;
    at += word.length();
    return true;
  }

  private IllegalArgumentException bad() {
    return new IllegalArgumentException("no JSON at character " + at);
  }

  /** A value as a parameter of some type wants it. */
  static Object as(Object value, Type wanted) throws Exception {
    Class<?> type = wanted instanceof Class ? (Class<?>) wanted
        : wanted instanceof ParameterizedType ? (Class<?>) ((ParameterizedType) wanted).getRawType() : Object.class;
    if (type == String.class && !(value instanceof String)) return value == null ? null : write(value);
    if (type == InputStream.class) return Member.stream(value);
    if (type == byte[].class) return write(value).getBytes(StandardCharsets.UTF_8);
    if (value == null || type.isInstance(value) && !(value instanceof List)) return value;
    if (value instanceof Number) return number((Number) value, type);
    if (value instanceof List) return list((List<?>) value, type, wanted);
    if (value instanceof Map && Map.class.isAssignableFrom(type)) return value;
    if (value instanceof Map) return plain((Map<?, ?>) value, type);
    if (value instanceof String && type.isEnum()) return constant((String) value, type);
    if (value instanceof Boolean) return value;
    throw new IllegalArgumentException("a JSON " + value.getClass().getSimpleName() + " where " + type.getName() + " is wanted");
  }

  private static Object number(Number value, Class<?> type) {
    if (type == int.class || type == Integer.class) return value.intValue();
    if (type == long.class || type == Long.class) return value.longValue();
    if (type == double.class || type == Double.class) return value.doubleValue();
    if (type == float.class || type == Float.class) return value.floatValue();
    if (type == short.class || type == Short.class) return value.shortValue();
    if (type == byte.class || type == Byte.class) return value.byteValue();
    if (type == BigDecimal.class) return new BigDecimal(value.toString());
    if (type == BigInteger.class) return new BigDecimal(value.toString()).toBigIntegerExact();
    return value;
  }

  private static Object list(List<?> values, Class<?> type, Type wanted) throws Exception {
    if (type.isArray()) {
      Object array = Array.newInstance(type.getComponentType(), values.size());
      for (int i = 0; i < values.size(); i++) Array.set(array, i, as(values.get(i), type.getComponentType()));
      return array;
    }
    Type element = wanted instanceof ParameterizedType ? ((ParameterizedType) wanted).getActualTypeArguments()[0] : Object.class;
    List<Object> list = new ArrayList<>();
    for (Object value : values) list.add(as(value, element));
    return list;
  }

  private static Object constant(String name, Class<?> type) {
    for (Object one : type.getEnumConstants()) if (((Enum<?>) one).name().equals(name)) return one;
    throw new IllegalArgumentException("no " + type.getName() + " named " + name);
  }

  /** Records by their components, other objects by setters and public fields; what they do not have is passed over. */
  private static Object plain(Map<?, ?> values, Class<?> type) throws Exception {
    Object[] components = components(type);
    if (components != null) {
      Class<?>[] types = new Class<?>[components.length];
      Object[] arguments = new Object[components.length];
      for (int i = 0; i < components.length; i++) {
        Object component = components[i];
        types[i] = (Class<?>) component.getClass().getMethod("getType").invoke(component);
        Type generic = (Type) component.getClass().getMethod("getGenericType").invoke(component);
        arguments[i] = as(values.get(nameOf(component)), generic);
        if (arguments[i] == null && types[i].isPrimitive()) arguments[i] = Array.get(Array.newInstance(types[i], 1), 0);
      }
      Constructor<?> maker = type.getDeclaredConstructor(types);
      maker.setAccessible(true);
      return maker.newInstance(arguments);
    }
    Constructor<?> maker = type.getDeclaredConstructor();
    maker.setAccessible(true);
    Object made = maker.newInstance();
    for (Method setter : type.getMethods()) {
      if (!setter.getName().matches("set[A-Z].*") || setter.getParameterCount() != 1) continue;
      String name = lower(setter.getName().substring(3));
      if (values.containsKey(name)) setter.invoke(made, as(values.get(name), setter.getGenericParameterTypes()[0]));
    }
    for (Field field : type.getFields())
      if (values.containsKey(field.getName()) && !Modifier.isFinal(field.getModifiers()))
        field.set(made, as(values.get(field.getName()), field.getGenericType()));
    return made;
  }

  /** Records came with Java 16. */
  private static Object[] components(Class<?> type) throws ReflectiveOperationException {
    try {
      Method isRecord = Class.class.getMethod("isRecord");
      if (!Boolean.TRUE.equals(isRecord.invoke(type))) return null;
      return (Object[]) Class.class.getMethod("getRecordComponents").invoke(type);
    } catch (NoSuchMethodException older) {
      return null;
    }
  }

  private static String nameOf(Object component) throws ReflectiveOperationException {
    return (String) component.getClass().getMethod("getName").invoke(component);
  }

  static String write(Object value) {
    StringBuilder out = new StringBuilder();
    write(value, out, 0);
    return out.toString();
  }

  private static void write(Object value, StringBuilder out, int depth) {
    if (depth > MAX_DEPTH) throw new IllegalArgumentException("a value nested too deeply, or in itself");
    if (value == null || value instanceof Boolean) out.append(value);
    else if (value instanceof Double && !Double.isFinite((Double) value) || value instanceof Float && !Float.isFinite((Float) value))
      throw new IllegalArgumentException("the number " + value + ", which JSON does not have");
    else if (value instanceof Number) out.append(value);
    else if (value instanceof CharSequence || value instanceof Character || value instanceof Enum) quote(value.toString(), out);
    else if (value instanceof Optional) write(((Optional<?>) value).orElse(null), out, depth);
    else if (value instanceof Map) members((Map<?, ?>) value, out, depth);
    else if (value instanceof Collection) items((Collection<?>) value, out, depth);
    else if (value.getClass().isArray()) items(elements(value), out, depth);
    else if (value.getClass().getName().startsWith("java.time.")) quote(value.toString(), out);
    else members(properties(value), out, depth);
  }

  private static List<Object> elements(Object array) {
    List<Object> list = new ArrayList<>();
    for (int i = 0; i < Array.getLength(array); i++) list.add(Array.get(array, i));
    return list;
  }

  private static void members(Map<?, ?> map, StringBuilder out, int depth) {
    out.append('{');
    String separator = "";
    for (Map.Entry<?, ?> entry : map.entrySet()) {
      out.append(separator);
      quote(String.valueOf(entry.getKey()), out);
      out.append(':');
      write(entry.getValue(), out, depth + 1);
      separator = ",";
    }
    out.append('}');
  }

  private static void items(Collection<?> list, StringBuilder out, int depth) {
    out.append('[');
    String separator = "";
    for (Object item : list) {
      out.append(separator);
      write(item, out, depth + 1);
      separator = ",";
    }
    out.append(']');
  }

  private static Map<String, Object> properties(Object value) {
    Map<String, Object> found = new LinkedHashMap<>();
    Class<?> type = value.getClass();
    try {
      Object[] components = components(type);
      if (components != null) {
        for (Object component : components) {
          Method accessor = type.getDeclaredMethod(nameOf(component));
          accessor.setAccessible(true);
          found.put(nameOf(component), accessor.invoke(value));
        }
        return found;
      }
      for (Field field : type.getFields())
        if (!Modifier.isStatic(field.getModifiers())) found.put(field.getName(), field.get(value));
      Map<String, Object> sorted = new java.util.TreeMap<>();
      for (Method getter : type.getMethods()) {
        String name = getter.getName();
        if (getter.getParameterCount() > 0 || Modifier.isStatic(getter.getModifiers()) || name.equals("getClass")) continue;
        if (!name.matches("get[A-Z].*|is[A-Z].*") || getter.getDeclaringClass() == Object.class) continue;
        getter.setAccessible(true);
        sorted.put(lower(name.startsWith("is") ? name.substring(2) : name.substring(3)), getter.invoke(value));
      }
      found.putAll(sorted);
    } catch (ReflectiveOperationException | RuntimeException cannot) {
      throw new IllegalArgumentException("a " + type.getName() + ", whose content cannot be read", cannot);
    }
    if (found.isEmpty()) throw new IllegalArgumentException("a " + type.getName() + ", which has no properties");
    return found;
  }

  private static String lower(String name) {
    return Character.toLowerCase(name.charAt(0)) + name.substring(1);
  }

  private static void quote(String text, StringBuilder out) {
    out.append('"');
    for (int i = 0; i < text.length(); i++) {
      char unit = text.charAt(i);
      if (unit == '"' || unit == '\\') out.append('\\').append(unit);
      else if (unit < 0x20 || Character.isSurrogate(unit) && !isPaired(text, i)) out.append(String.format("\\u%04x", (int) unit));
      else out.append(unit);
    }
    out.append('"');
  }

  private static boolean isPaired(String text, int at) {
    char unit = text.charAt(at);
    if (Character.isHighSurrogate(unit)) return at + 1 < text.length() && Character.isLowSurrogate(text.charAt(at + 1));
    return at > 0 && Character.isHighSurrogate(text.charAt(at - 1));
  }
}
