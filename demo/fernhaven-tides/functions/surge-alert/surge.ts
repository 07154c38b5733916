/** How far the water stands above the predicted tide, in centimetres. */
export function surge(levelCm: number, predictedCm: number): number {
  return Math.round(levelCm - predictedCm);
}
