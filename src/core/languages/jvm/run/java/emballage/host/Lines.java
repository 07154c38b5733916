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

/**
 * Starts a function in an image: loads it, then reads an event a line on standard input (CloudEvents in JSON) and writes an
 * answer a line on standard output. What the function itself writes goes to standard error, which is its log. A function
 * that throws ends with its stack there and exit code 1.
 */
public final class Lines {
  private Lines() {}

  public static void main(String[] args) throws Throwable {
    Map<?, ?> plan = (Map<?, ?>) Json.parse(new String(Files.readAllBytes(Path.of(args[0])), StandardCharsets.UTF_8));
    PrintStream answers = new PrintStream(System.out, false, StandardCharsets.UTF_8.name());
    System.setOut(System.err);
    Member member = Member.load((String) plan.get("className"), (String) plan.get("member"));
    BufferedReader lines = new BufferedReader(new InputStreamReader(System.in, StandardCharsets.UTF_8));
    int calls = 0;
    for (String line = lines.readLine(); line != null; line = lines.readLine()) {
      if (line.trim().isEmpty()) continue;
      calls++;
      Map<String, Object> context = new LinkedHashMap<>();
      context.put("name", plan.get("name"));
      context.put("run", "run-" + calls);
      long timeoutMs = ((Number) plan.get("timeoutMs")).longValue();
      context.put("deadline", Instant.now().plusMillis(timeoutMs).truncatedTo(ChronoUnit.MILLIS).toString());
      context.put("memory", plan.get("memory"));
      answers.print(member.call(Json.parse(line), context) + "\n");
      answers.flush();
    }
    System.exit(0);
  }
}
