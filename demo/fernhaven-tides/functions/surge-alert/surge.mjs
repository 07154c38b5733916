/** How far the water stands above the predicted tide, in centimetres. */
export function surge(levelCm, predictedCm) {
  return Math.round(levelCm - predictedCm);
}
