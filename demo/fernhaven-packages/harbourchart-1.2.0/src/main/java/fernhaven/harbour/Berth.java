package fernhaven.harbour;

/** A place to lie at. */
public record Berth(String name, int lengthM, int depthCm) {}
