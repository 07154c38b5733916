package fernhaven.quay.reports;

import fernhaven.quay.QuayBook;
import fernhaven.quay.Stay;
import java.util.Comparator;
import java.util.Locale;
import java.util.TreeMap;
import java.util.stream.Collectors;

/** The passenger report, on paper. */
public final class PassengerReport {
  private static final String HEAD = "Harbour office of Fernhaven: passenger report. ";

  public String asText(QuayBook book) {
    return HEAD + book.stays().stream()
        .sorted(Comparator.comparing(Stay::ship).thenComparing(Stay::from))
        .map(stay -> String.format(Locale.ROOT, "%-20s %-12s %04d to %04d", stay.ship(), stay.berth(), stay.from(), stay.to()))
        .collect(Collectors.joining("\n"));
  }

  public TreeMap<String, Integer> minutesByBerth(QuayBook book) {
    TreeMap<String, Integer> minutes = new TreeMap<>();
    for (Stay stay : book.stays()) minutes.merge(stay.berth(), stay.to() - stay.from(), Integer::sum);
    return minutes;
  }

  public String asTable(QuayBook book) {
    StringBuilder table = new StringBuilder("<table><caption>" + HEAD + "</caption>");
    minutesByBerth(book).forEach((berth, minutes) -> table.append("<tr><td>").append(berth).append("</td><td>").append(minutes).append("</td></tr>"));
    return table.append("</table>").toString();
  }
}
