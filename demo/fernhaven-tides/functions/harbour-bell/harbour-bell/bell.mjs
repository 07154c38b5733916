/** Rings the harbour bell. Packed one folder too deep: see broken.yaml. */
export function ring(event) {
  return { strokes: event.data.strokes ?? 1 };
}
