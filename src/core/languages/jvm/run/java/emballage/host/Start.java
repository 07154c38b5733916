package emballage.host;

import java.io.BufferedReader;
import java.io.InputStreamReader;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.atomic.AtomicInteger;

/**
 * Starts a function in an image. It is called in one of two ways: by lines, an event on each line of standard input
 * (CloudEvents in JSON) and an answer on each line of standard output; or by HTTP. What the function itself writes goes to
 * standard error, which is its log. By lines a function that throws ends with its stack there and exit code 1; by HTTP that
 * call is answered with 500.
 */
public final class Start {
  final Map<?, ?> plan;
  private final Member member;
  private final AtomicInteger calls = new AtomicInteger();

  private Start(Map<?, ?> plan) throws Throwable {
    this.plan = plan;
    member = Member.load((String) plan.get("className"), (String) plan.get("member"));
  }

  public static void main(String[] args) throws Throwable {
    Map<?, ?> plan = (Map<?, ?>) Json.parse(new String(Files.readAllBytes(Path.of(args[0])), StandardCharsets.UTF_8));
    PrintStream answers = new PrintStream(System.out, false, StandardCharsets.UTF_8.name());
    System.setOut(System.err);
    Start start = new Start(plan);
    if ("http".equals(plan.get("speaks"))) new Http(start).serve();
    else start.readLines(answers);
  }

  boolean isData() {
    return "data".equals(plan.get("event"));
  }

  long number(String name) {
    return ((Number) plan.get(name)).longValue();
  }

  /** The answer for an event, as JSON. */
  String call(Map<?, ?> event) throws Throwable {
    String run = "run-" + calls.incrementAndGet();
    String deadline = Instant.now().plusMillis(number("timeoutMs")).truncatedTo(ChronoUnit.MILLIS).toString();
    return member.call(isData() ? event.get("data") : event, context(plan, plan, run, deadline));
  }

  /** What stands beside the event, under the names that the destination has for it. */
  static Map<String, Object> context(Map<?, ?> plan, Map<?, ?> about, String run, String deadline) {
    Map<?, ?> names = (Map<?, ?>) plan.get("context");
    Map<String, Object> context = new LinkedHashMap<>();
    context.put((String) names.get("name"), about.get("name"));
    context.put((String) names.get("run"), run);
    context.put((String) names.get("deadline"), deadline);
    context.put((String) names.get("memory"), about.get("memory"));
    java.util.function.Consumer<Object> log = text -> System.err.println(text);
    context.put((String) names.get("log"), log);
    return context;
  }

  private void readLines(PrintStream answers) throws Throwable {
    BufferedReader lines = new BufferedReader(new InputStreamReader(System.in, StandardCharsets.UTF_8));
    for (String line = lines.readLine(); line != null; line = lines.readLine()) {
      if (line.trim().isEmpty()) continue;
      // A line is what the destination gives: a whole event, or its data.
      Object given = Json.parse(line);
      Map<String, Object> data = new LinkedHashMap<>();
      data.put("data", given);
      String answer = call(isData() ? data : (Map<?, ?>) given);
      System.err.flush();
      answers.print(answer + "\n");
      answers.flush();
    }
    System.exit(0);
  }
}
