package fernhaven.moorings;

import fernhaven.tidetable.TideTable;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/** Who lies where. */
public final class MooringBook {
  private final List<Stay> stays = new ArrayList<>();

  /** Enters a stay that begins with the first tide in which there is water and nobody else. */
  public Optional<Stay> enter(String ship, String berth, int minutes, int highWater, int depthCm) {
    return TideTable.windows(highWater, depthCm).stream()
        .map(window -> new Stay(ship, berth, window.from(), window.from() + minutes))
        .filter(stay -> stays.stream().noneMatch(stay::meets))
        .findFirst()
        .map(stay -> {
          stays.add(stay);
          return stay;
        });
  }

  public List<Stay> stays() {
    return List.copyOf(stays);
  }

  public static String table() {
    return "tide table " + TideTable.version();
  }
}
