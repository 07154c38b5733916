/* Compiled to platform/ARCH/tidewave/libtidewave.so by native/build.sh. Needs no library, so that it loads anywhere. */
double smooth(const double *levels, int count) {
  double sum = 0, weights = 0, weight = 1;
  for (int i = 0; i < count; i++) {
    sum += levels[i] * weight;
    weights += weight;
    weight *= 2;
  }
  return weights == 0 ? 0 : sum / weights;
}
