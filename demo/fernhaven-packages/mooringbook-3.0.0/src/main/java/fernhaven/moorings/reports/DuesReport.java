package fernhaven.moorings.reports;

import fernhaven.moorings.MooringBook;
import fernhaven.moorings.Stay;
import java.math.BigDecimal;
import java.math.RoundingMode;
import java.util.Map;
import java.util.TreeMap;

/** What every ship owes: by the hour, more at night, less for those who come often. */
public final class DuesReport extends Report {
  private static final BigDecimal PER_HOUR = new BigDecimal("14.50");
  private static final BigDecimal AT_NIGHT = new BigDecimal("1.25");
  private static final int OFTEN = 3;
  private final Map<String, Integer> visits;

  public DuesReport(Map<String, Integer> visits) {
    this.visits = Map.copyOf(visits);
  }

  @Override
  public String title() {
    return "dues";
  }

  @Override
  protected boolean holds(Stay stay) {
    return stay.to() > stay.from();
  }

  public TreeMap<String, BigDecimal> owed(MooringBook book) {
    TreeMap<String, BigDecimal> owed = new TreeMap<>();
    for (Stay stay : stays(book)) owed.merge(stay.ship(), dues(stay), BigDecimal::add);
    return owed;
  }

  private BigDecimal dues(Stay stay) {
    BigDecimal hours = new BigDecimal(stay.to() - stay.from()).divide(new BigDecimal(60), 2, RoundingMode.UP);
    BigDecimal sum = PER_HOUR.multiply(hours);
    if (stay.from() < 300 || stay.to() > 1320) sum = sum.multiply(AT_NIGHT);
    if (visits.getOrDefault(stay.ship(), 0) >= OFTEN) sum = sum.multiply(new BigDecimal("0.9"));
    return sum.setScale(2, RoundingMode.HALF_UP);
  }
}
