package emballage.host;

import java.io.BufferedReader;
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
import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.Map;

/**
 * Runs inside the process that stands in for a host: loads one method and calls it with the events that arrive. Commands
 * come as JSON lines on descriptor 3, answers go as JSON lines on descriptor 4, each with the secret mark that came with the
 * first command, so that whatever the function writes there by itself is told from an answer.
 */
public final class Runner {
  private final OutputStream answers;
  private String mark = "";
  private Map<?, ?> plan = Map.of();
  private Member member;

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
    try {
      long begun = System.nanoTime();
      member = Member.load((String) command.get("className"), (String) command.get("member"));
      answer(Map.of("kind", "loaded", "loadMs", (System.nanoTime() - begun) / 1e6));
    } catch (Member.NoMember none) {
      answer(Map.of("kind", "no-member", "found", none.found, "members", none.members));
    } catch (Throwable error) {
      answer(failure("load-failed", error));
    }
  }

  private void call(Map<?, ?> command) throws IOException {
    Map<String, Object> context = Start.context(plan, plan, (String) command.get("run"), (String) command.get("deadline"));
    Object value;
    try {
      value = member.invoke(command.get("event"), context);
    } catch (Throwable error) {
      answer(failure("threw", error));
      return;
    }
    try {
      Map<String, Object> result = new LinkedHashMap<>();
      result.put("kind", "result");
      result.put("json", Json.write(value));
      result.put("nothing", value == null);
      answer(result);
    } catch (RuntimeException fault) {
      answer(Map.of("kind", "not-json", "fault", String.valueOf(fault.getMessage())));
    }
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
}
