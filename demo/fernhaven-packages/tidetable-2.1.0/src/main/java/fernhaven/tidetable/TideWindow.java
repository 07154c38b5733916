package fernhaven.tidetable;

/** A time of the day with enough water, in minutes. */
public record TideWindow(int from, int to) {
  public boolean holds(int from, int to) {
    return this.from <= from && to <= this.to;
  }
}
