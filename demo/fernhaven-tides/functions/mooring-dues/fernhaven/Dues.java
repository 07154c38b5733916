package fernhaven;

import java.util.Map;

/** What a ship owes for its mooring. */
public final class Dues {
    public static Map<String, Object> total(Map<String, Object> event, Map<String, Object> context) {
        Map<?, ?> data = (Map<?, ?>) event.get("data");
        double metres = ((Number) data.get("metres")).doubleValue();
        double nights = ((Number) data.get("nights")).doubleValue();
        long cents = Math.round(metres * nights * Double.parseDouble(System.getenv("CENTS_A_METRE")));
        return Map.of("ship", data.get("ship"), "cents", cents);
    }
}
