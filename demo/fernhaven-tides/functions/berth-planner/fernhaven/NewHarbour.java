package fernhaven;

import fernhaven.harbour.Berth;
import fernhaven.harbour.BerthSource;
import java.util.List;

/** The berths that were built last year, which the chart does not have yet. */
public final class NewHarbour implements BerthSource {
  @Override
  public List<Berth> berths() {
    return List.of(new Berth("New Pier", 90, 420));
  }
}
