/** `tidy`: removes what nothing refers to any more, here and in the shared store. */
import { EmballageError } from '../../core/base/errors';
import { count, printable } from '../../core/base/text';
import { formatSize, parseAge, parseSize } from '../../core/base/units';
import { LANGUAGES } from '../../core/languages';
import { exclusively } from '../../core/project/state/exclusive';
import { KINDS, type StateKind } from '../../core/project/state/state';
import { tidyNow, type Tidied } from '../../core/project/state/tidy-now';
import type { Project } from '../../core/project/targets';
import type { Session } from '../session/session';
import { EXIT, text, type Arguments, type CommandModule } from './command';

export const command: CommandModule = {
  about:
    'Removes what is of no use any more in .emballage/: what stopped runs left, what other versions of the tool made, what\n' +
    'belongs to no function; with --older and --over also what was not used for long, and the least recently used of what is\n' +
    'too much. --caches does the same for what lies with the user, --shared for the shared store. Nothing of it changes a byte\n' +
    'of any artifact; it is made or fetched again when it is wanted.',
  examples: [
    ['--older "30 days" --dry-run', 'see what has not been used for a month'],
    ['--shared --over "20 GiB"', 'keep the shared store within bounds, too'],
  ],
  options: {
    older: {
      type: 'string',
      requiresArg: true,
      value: 'AGE',
      describe: 'what was not used for so long, such as "30 days"',
    },
    over: {
      type: 'string',
      requiresArg: true,
      value: 'SIZE',
      describe: 'the least recently used beyond so much, such as "2 GiB"',
    },
    'dry-run': { type: 'boolean', default: false, describe: 'only say what would go' },
    caches: { type: 'boolean', default: false, describe: 'also packages and other things that lie with the user' },
    shared: { type: 'boolean', default: false, describe: 'also results in the shared store; needs --older or --over' },
  },
  async run(args, session) {
    const bounds = boundsOf(args);
    const isDry = args['dry-run'] === true;
    const project = await session.openProject();
    const all: StateKind[] = [...Object.values(KINDS), ...LANGUAGES.flatMap(({ caches }) => caches)];
    const kinds = all.filter(({ of }) => of === 'project' || args.caches === true);
    const alone = {
      state: project.state,
      what: 'build' as const,
      onWait: () => session.remark('waiting for a build in this project to finish'),
    };
    const { went, leftBytes } = await exclusively(alone, () =>
      Promise.resolve(tidyNow({ state: project.state, kinds, isDry, ...bounds })),
    );
    const shared = args.shared === true ? await tidyShared(project, { isDry, ...bounds }, session) : undefined;
    session.document({ dryRun: isDry, removed: went, leftBytes, ...(shared !== undefined && { shared }) });
    show(session, went, leftBytes, isDry);
    if (shared !== undefined) {
      const { at, results, bytes, leftBytes: left } = shared;
      const verb = isDry ? 'would go' : 'went';
      session.say(
        `shared store ${printable(at)}: ${count(results, 'result')} ${verb}, ${formatSize(bytes)}; ${formatSize(left)} left`,
      );
      if (results > 0 && !isDry)
        session.tell(session.paint.dim('its registry frees the room when it next collects what nothing names'));
    }
    session.next(isDry ? 'tidy' : 'build', isDry ? 'remove it' : 'make or fetch again what is wanted');
    return EXIT.done;
  },
};

interface Bounds {
  readonly olderMs?: number;
  readonly overBytes?: number;
}

function boundsOf(args: Arguments): Bounds {
  const [older, over] = [text(args, 'older'), text(args, 'over')];
  const olderMs = older === undefined ? undefined : parseAge(older);
  const overBytes = over === undefined ? undefined : parseSize(over);
  if (older !== undefined && olderMs === undefined)
    throw bad('--older', 'an age, such as `30 days`, `2 weeks` or `12 hours`', older);
  if (over !== undefined && overBytes === undefined) throw bad('--over', 'a size, such as `2 GiB`', over);
  if (args.shared === true && older === undefined && over === undefined)
    throw bad('--shared', '`--older` or `--over` with it: nobody here knows what others still want', '--shared alone');
  return { ...(olderMs !== undefined && { olderMs }), ...(overBytes !== undefined && { overBytes }) };
}

function bad(where: string, expected: string, found: string): EmballageError {
  const doing = 'reading the command line';
  return new EmballageError('USAGE', { doing, where, expected, found: `\`${printable(found)}\``, mend: 'correct it' });
}

interface TidiedStore {
  readonly at: string;
  readonly results: number;
  readonly bytes: number;
  readonly leftBytes: number;
}

async function tidyShared(
  project: Project,
  { isDry, ...bounds }: Bounds & { readonly isDry: boolean },
  session: Session,
): Promise<TidiedStore> {
  const [{ namedStore }, { listResults, removeResults, resultsToRemove }] = await Promise.all([
    import('../delivering/shared-store'),
    import('../../core/sources/results'),
  ]);
  const store = namedStore(project);
  if (store === undefined)
    throw new EmballageError('USAGE', {
      doing: 'tidying the shared store',
      expected: 'a store, under `store` in the sheet or in EMBALLAGE_STORE',
      found: 'none named',
      mend: 'name it, or leave out --shared',
    });
  const { host, namespace, plainHttp } = store.registry;
  const registry = await session.registry(host, plainHttp);
  session.progress.show('looking through the shared store');
  const all = await listResults(registry, namespace);
  const gone = resultsToRemove(all, { now: session.now(), ...bounds });
  if (!isDry) await removeResults(registry, namespace, gone);
  const sum = (some: readonly { readonly bytes: number }[]): number =>
    some.reduce((total, { bytes }) => total + bytes, 0);
  return { at: `${host}/${namespace}`, results: gone.length, bytes: sum(gone), leftBytes: sum(all) - sum(gone) };
}

function show(session: Session, went: readonly Tidied[], leftBytes: number, isDry: boolean): void {
  const { paint } = session;
  for (const { kind, why, things, bytes } of went)
    session.say(
      `  ${paint.bold(kind.padEnd(12))} ${count(things, 'thing').padEnd(12)} ${formatSize(bytes).padEnd(10)} ${paint.dim(why)}`,
    );
  const bytes = went.reduce((sum, one) => sum + one.bytes, 0);
  const verb = isDry ? 'would go' : 'went';
  session.say(
    `${went.length === 0 ? `nothing ${verb}` : `\n${formatSize(bytes)} ${verb}`}; ${formatSize(leftBytes)} left`,
  );
}
