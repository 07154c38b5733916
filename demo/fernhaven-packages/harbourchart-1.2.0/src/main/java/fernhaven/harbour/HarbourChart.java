package fernhaven.harbour;

import fernhaven.tidetable.TideTable;
import java.util.ArrayList;
import java.util.List;
import java.util.ServiceLoader;

/** What is where, and when there is water enough to leave. */
public final class HarbourChart {
  private HarbourChart() {}

  public static List<Berth> berths() {
    List<Berth> all = new ArrayList<>();
    for (BerthSource source : ServiceLoader.load(BerthSource.class)) all.addAll(source.berths());
    return all;
  }

  /** The last minute of the first tide at which a berth can be left. */
  public static int lastLeave(Berth berth, int highWater) {
    return TideTable.windows(highWater, berth.depthCm())[0][1];
  }

  public static String table() {
    return "tide table " + TideTable.version();
  }
}
