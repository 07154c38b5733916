export function formatHeight(centimetres: number): string;
export function parseHeight(text: string): number;
export function formatClock(time: string): string;
export function minutesBetween(from: string, to: string): number;
export function drawCurve(heights: readonly number[], rows?: number): string;
