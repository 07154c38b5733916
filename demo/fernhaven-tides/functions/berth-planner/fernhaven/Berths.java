package fernhaven;

import fernhaven.harbour.Berth;
import fernhaven.harbour.HarbourChart;
import fernhaven.moorings.MooringBook;
import fernhaven.moorings.Stay;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Gives every ship the smallest berth that takes it, in the first tide that has water enough. */
public class Berths {
  public record Ship(String name, int lengthM, int draughtCm, int minutes) {}

  public record Wish(int highWater, List<Ship> ships) {}

  public record Event(String id, Wish data) {}

  public record Plan(List<Stay> stays, List<String> turnedAway, Map<String, Integer> lastLeave, List<String> tables) {}

  public Plan plan(Event event, Map<String, Object> context) {
    int highWater = event.data().highWater();
    int most = Integer.parseInt(Optional.ofNullable(System.getenv("MOST_SHIPS")).orElse("20"));
    List<Berth> berths = HarbourChart.berths().stream().sorted(Comparator.comparing(Berth::lengthM)).toList();
    MooringBook book = new MooringBook();
    List<String> turnedAway = event.data().ships().stream()
        .limit(most)
        .filter(ship -> berths.stream()
            .filter(berth -> berth.lengthM() >= ship.lengthM())
            .noneMatch(berth -> book.enter(ship.name(), berth.name(), ship.minutes(), highWater, ship.draughtCm()).isPresent()))
        .map(Ship::name)
        .toList();
    Map<String, Integer> lastLeave = new java.util.TreeMap<>();
    for (Berth berth : berths) lastLeave.put(berth.name(), HarbourChart.lastLeave(berth, highWater));
    // Both forms of the tide table are there, side by side.
    return new Plan(book.stays(), turnedAway, lastLeave, List.of(HarbourChart.table(), MooringBook.table()));
  }
}
