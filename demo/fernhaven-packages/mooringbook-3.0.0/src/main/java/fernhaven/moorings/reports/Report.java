package fernhaven.moorings.reports;

import fernhaven.moorings.MooringBook;
import fernhaven.moorings.Stay;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.TreeMap;
import java.util.stream.Collectors;

/** What all reports share: a title, lines in order, and sums by berth, on paper or as a page. */
public abstract class Report {
  public abstract String title();

  protected abstract boolean holds(Stay stay);

  public List<Stay> stays(MooringBook book) {
    return book.stays().stream()
        .filter(this::holds)
        .sorted(Comparator.comparing(Stay::ship).thenComparing(Stay::from))
        .toList();
  }

  public String asText(MooringBook book) {
    return stays(book).stream()
        .map(stay -> String.format(Locale.ROOT, "%-20s %-12s %s to %s", stay.ship(), stay.berth(), clock(stay.from()), clock(stay.to())))
        .collect(Collectors.joining("\n", "Harbour office of Fernhaven: " + title() + "\n\n", "\n"));
  }

  public TreeMap<String, Integer> minutesByBerth(MooringBook book) {
    TreeMap<String, Integer> minutes = new TreeMap<>();
    for (Stay stay : stays(book)) minutes.merge(stay.berth(), stay.to() - stay.from(), Integer::sum);
    return minutes;
  }

  public String asPage(MooringBook book) {
    StringBuilder page = new StringBuilder("<table><caption>").append(title()).append("</caption>");
    minutesByBerth(book).forEach((berth, minutes) ->
        page.append("<tr><td>").append(berth).append("</td><td>").append(clock(minutes)).append("</td></tr>"));
    return page.append("</table>").toString();
  }

  protected static String clock(int minutes) {
    return String.format(Locale.ROOT, "%02d:%02d", minutes / 60, minutes % 60);
  }
}
