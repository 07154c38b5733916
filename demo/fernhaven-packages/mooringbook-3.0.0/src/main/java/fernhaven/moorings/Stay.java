package fernhaven.moorings;

/** A ship at a berth, from one minute of the day to another. */
public record Stay(String ship, String berth, int from, int to) {
  public boolean meets(Stay other) {
    return berth.equals(other.berth) && from < other.to && other.from < to;
  }
}
