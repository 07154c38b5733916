const CENTIMETRES_IN_A_METRE = 100;

/** 447 gives `4.47 m`. */
export function formatHeight(centimetres) {
  return `${(centimetres / CENTIMETRES_IN_A_METRE).toFixed(2)} m`;
}

/** `4.47 m` gives 447. */
export function parseHeight(text) {
  const metres = /^\s*(-?\d+(?:\.\d+)?)\s*m\s*$/.exec(text)?.[1];
  if (metres === undefined) throw new RangeError(`no height: ${text}`);
  return Math.round(Number(metres) * CENTIMETRES_IN_A_METRE);
}
