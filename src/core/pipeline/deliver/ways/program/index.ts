/** By a program of the team's own. */
import { EmballageError } from '../../../../base/errors';
import { printable } from '../../../../base/text';
import type { WayKind } from '../way';

declare module '../../../../sheet/model' {
  interface Ways {
    program: { readonly command: readonly string[]; readonly timeMs: number };
  }
}

export const program: WayKind<'program'> = {
  name: 'program',
  units: { sent: 'file', deleted: 'file' },
  openKeys: async () => (await import('./keys')).programKeys,
  open: async (world, deliver) => (await import('./way')).openProgram(world, deliver),
  there({ at, destination }, today, doing) {
    if (today?.way === 'program') return today;
    throw new EmballageError('USAGE', {
      doing,
      expected: `the program that delivers to ${destination}, in the sheet`,
      found: `none: it was \`${printable(at)}\``,
      mend: 'name it under `deliver` of that destination again',
    });
  },
};

export { programAnswer, programRequest } from './way';
