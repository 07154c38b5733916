/** Colours, or none. */
import picocolors from 'picocolors';

export type Paint = Readonly<Record<'bold' | 'dim' | 'good' | 'bad' | 'doubt' | 'name', (text: string) => string>>;

/** The colours, or none. */
export function makePaint(color: boolean): Paint {
  const c = picocolors.createColors(color);
  return { bold: c.bold, dim: c.dim, good: c.green, bad: (t) => c.bold(c.red(t)), doubt: c.yellow, name: c.cyan };
}
