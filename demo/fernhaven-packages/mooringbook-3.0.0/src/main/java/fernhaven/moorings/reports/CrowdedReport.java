package fernhaven.moorings.reports;

import fernhaven.moorings.MooringBook;
import fernhaven.moorings.Stay;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.List;

/** When the harbour is full: the hours in which as many ships lie there as there are berths. */
public final class CrowdedReport extends Report {
  private final int berths;

  public CrowdedReport(int berths) {
    this.berths = berths;
  }

  @Override
  public String title() {
    return "hours in which all " + berths + " berths are taken";
  }

  @Override
  protected boolean holds(Stay stay) {
    return true;
  }

  /** From and to, in minutes. */
  public List<int[]> hours(MooringBook book) {
    List<int[]> full = new ArrayList<>();
    Deque<Integer> since = new ArrayDeque<>();
    for (int minute = 0; minute < 24 * 60; minute++) {
      int now = minute;
      long there = book.stays().stream().filter(stay -> stay.from() <= now && now < stay.to()).count();
      if (there >= berths && since.isEmpty()) since.push(minute);
      if (there < berths && !since.isEmpty()) full.add(new int[] {since.pop(), minute});
    }
    if (!since.isEmpty()) full.add(new int[] {since.pop(), 24 * 60});
    return full;
  }

  public String asLine(MooringBook book) {
    StringBuilder line = new StringBuilder();
    for (int[] one : hours(book)) line.append(line.isEmpty() ? "" : ", ").append(clock(one[0])).append(" to ").append(clock(one[1]));
    return line.isEmpty() ? "never" : line.toString();
  }
}
