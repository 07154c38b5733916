package fernhaven.harbour;

import java.util.List;

/** Whoever knows of berths; found by the service file. */
public interface BerthSource {
  List<Berth> berths();
}
