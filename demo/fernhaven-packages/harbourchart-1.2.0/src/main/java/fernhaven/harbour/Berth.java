package fernhaven.harbour;

/** A place at the quay. */
public record Berth(String name, int lengthM, int depthCm) {}
