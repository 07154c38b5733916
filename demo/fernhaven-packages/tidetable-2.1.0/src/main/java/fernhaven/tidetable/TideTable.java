package fernhaven.tidetable;

import java.util.List;

/** The second form of the table: windows. */
public final class TideTable {
  private TideTable() {}

  public static List<TideWindow> windows(int highWater, int depthCm) {
    int half = Math.max(0, 360 - depthCm / 2);
    return List.of(
        new TideWindow(highWater - half, highWater + half),
        new TideWindow(highWater + 745 - half, highWater + 745 + half));
  }

  public static String version() {
    return "2.1.0";
  }
}
