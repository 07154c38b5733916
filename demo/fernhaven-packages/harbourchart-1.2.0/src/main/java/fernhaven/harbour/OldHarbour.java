package fernhaven.harbour;

import java.util.List;

/** The berths that have always been there. */
public final class OldHarbour implements BerthSource {
  @Override
  public List<Berth> berths() {
    return List.of(new Berth("Old Pier", 40, 180), new Berth("River Lock", 24, 90));
  }
}
