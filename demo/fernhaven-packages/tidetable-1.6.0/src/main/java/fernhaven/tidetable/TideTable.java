package fernhaven.tidetable;

/** The first form of the table: pairs of minutes. */
public final class TideTable {
  private TideTable() {}

  /** Minutes between which there is enough water, from and to. */
  public static int[][] windows(int highWater, int depthCm) {
    int half = Math.max(0, 360 - depthCm / 2);
    return new int[][] {{highWater - half, highWater + half}, {highWater + 745 - half, highWater + 745 + half}};
  }

  public static String version() {
    return "1.6.0";
  }
}
