/** `stand-in index` and `stand-in registry`: small services on loopback. */
import { resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { present } from '../../core/base/present';
import { count, printable } from '../../core/base/text';
import { LANGUAGES } from '../../core/languages';
import { MISBEHAVIOURS, readFolder, startIndex, type RunningIndex } from '../../standins/index/index';
import { HOST_FAULTS } from '../../standins/service';
import { REGISTRY_FAULTS, startRegistry, type RunningRegistry } from '../../standins/registry';
import { untilInterrupted } from '../interrupt';
import { portTrouble } from '../calling/port-trouble';
import type { Session } from '../session/session';
import { EXIT, text, texts, type Arguments, type CommandModule } from './command';

const DEFAULT_PORTS = { index: 8427, registry: 8430, host: 8440 } as const;

export const command: CommandModule = {
  about: wrapped(
    'Simulates a service on this machine only, until it is interrupted. `index` serves a folder as a package index: ' +
      `${LANGUAGES.flatMap(({ pages }) => pages?.about ?? []).join('; ')}. ` +
      '`registry` keeps container images in a folder. `host` keeps and runs functions as a destination would, by the ' +
      'protocol of `schemas/host.openapi.json`. All can be told to misbehave, to see what comes of it.',
  ),
  examples: [
    ['index demo/fernhaven-packages', 'serve the demo’s packages'],
    [
      'registry /tmp/moorings --port 0 --login harbour:secret --tokens',
      'a registry that wants a login and gives tokens',
    ],
    ['host /tmp/slipway --destination destinations/slipway.yaml', 'a host that enforces a destination'],
    ['index packages --port 0 --misbehave truncated', 'break off every file in the middle'],
  ],
  options: {
    port: {
      value: 'PORT',
      type: 'number',
      requiresArg: true,
      describe: `0 for any that is free; ${String(DEFAULT_PORTS.index)} for an index, ${String(DEFAULT_PORTS.registry)} for a registry, ${String(DEFAULT_PORTS.host)} for a host otherwise`,
    },
    misbehave: {
      choices: [...new Set([...MISBEHAVIOURS, ...REGISTRY_FAULTS, ...HOST_FAULTS])],
      requiresArg: true,
      describe: `what to do wrong; a registry knows ${REGISTRY_FAULTS.join(', ')}; a host ${HOST_FAULTS.join(', ')}; an index the others`,
    },
    login: {
      value: 'NAME:PASSWORD',
      type: 'string',
      requiresArg: true,
      describe: 'NAME:PASSWORD that requests must carry',
    },
    destination: {
      value: 'DESTINATION',
      proposes: 'destinations',
      type: 'string',
      requiresArg: true,
      describe: 'host: what it enforces, by name in the sheet or by its file',
    },
    instances: {
      value: 'N',
      type: 'number',
      requiresArg: true,
      default: 4,
      describe: 'host: most instances of one function',
    },
    idle: {
      value: 'TIME',
      type: 'string',
      requiresArg: true,
      default: '60 s',
      describe: 'host: an instance that was not called for so long ends',
    },
    tokens: { type: 'boolean', default: false, describe: 'registry: with --login, give tokens for it' },
  },
  async run(args, session) {
    const [kind, folder, ...rest] = texts(args, '_');
    if (!isKind(kind) || folder === undefined || rest.length > 0)
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        expected: '`stand-in index FOLDER`, `stand-in registry FOLDER` or `stand-in host FOLDER`',
        found: `\`${printable(['stand-in', ...texts(args, '_')].join(' '))}\``,
        mend: 'name the folder whose packages are to be served, or in which images or functions are kept',
      });
    const serve = { index: serveIndex, registry: serveRegistry, host: serveFunctions }[kind];
    const close = await serve(args, folder, session);
    await untilInterrupted();
    await close();
    return EXIT.done;
  },
};

function isKind(word: string | undefined): word is keyof typeof DEFAULT_PORTS {
  return word !== undefined && word in DEFAULT_PORTS;
}

async function serveFunctions(args: Arguments, folder: string, session: Session): Promise<() => Promise<void>> {
  const { serveHost } = await import('../calling/host-service');
  const port = Number(args.port ?? DEFAULT_PORTS.host);
  const [misbehave, login] = [faultFrom(args, HOST_FAULTS, 'host'), text(args, 'login')];
  return serveHost({ folder, port, misbehave, login }, args, session);
}

async function serveRegistry(args: Arguments, folder: string, session: Session): Promise<() => Promise<void>> {
  const port = Number(args.port ?? DEFAULT_PORTS.registry);
  const login = text(args, 'login');
  let registry: RunningRegistry;
  try {
    registry = await startRegistry({
      folder: resolve(session.cwd, folder),
      port,
      tokens: args.tokens === true,
      onRequest: (line: string) => logRequest(session, line),
      ...(login !== undefined && { login }),
      ...present({ misbehave: faultFrom(args, REGISTRY_FAULTS, 'registry') }),
    });
  } catch (error) {
    throw portTrouble(error, 'starting the stand-in registry', port);
  }
  session.document({ host: registry.host });
  const { paint } = session;
  session.say(`a registry at ${paint.name(registry.host)}`);
  session.tell(
    `\n${paint.dim('Interrupt this command to end it. Name it in a destination:')} ${paint.bold(`registry: ${registry.host}/NAMESPACE`)}`,
  );
  return () => registry.close();
}

async function serveIndex(args: Arguments, folder: string, session: Session): Promise<() => Promise<void>> {
  const pages = await readFolder(resolve(session.cwd, folder), folder, session.machine());
  const index = await listen(args, pages, (line) => logRequest(session, line));
  const { offers } = index;
  const projects = offers.flatMap((one) => one.projects);
  const files = offers.reduce((sum, one) => sum + one.files, 0);
  session.document({ ...Object.fromEntries(offers.map(({ key, url }) => [key, url])), projects, files });
  const { paint } = session;
  const main = offers.find(({ key }) => key === 'url')?.url ?? '';
  session.say(`${count(projects.length, 'project')}, ${count(files, 'file')} at ${paint.name(main)}`);
  for (const { line, url } of offers) if (line !== undefined) session.say(`${line} at ${paint.name(url)}`);
  const namings = offers.flatMap(({ naming }) => (naming === undefined ? [] : [naming]));
  session.tell('');
  for (const [i, [where, words]] of namings.entries()) {
    const lead = i === 0 ? `Interrupt this command to end it. Name it ${where}:` : `and ${where}:`;
    session.tell(`${paint.dim(lead)} ${paint.bold(words)}`);
  }
  return () => index.close();
}

function logRequest(session: Session, line: string): void {
  if (session.verbose) session.remark(line);
}

/** A misbehaviour that this kind of service knows. */
function faultFrom<T extends string>(args: Arguments, known: readonly T[], kind: string): T | undefined {
  const asked = text(args, 'misbehave');
  const found = known.find((one) => one === asked);
  if (asked === undefined || found !== undefined) return found;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--misbehave',
    expected: `what a stand-in ${kind} can do: ${known.join(', ')}`,
    found: asked,
    mend: 'choose one of them',
  });
}

async function listen(
  args: Arguments,
  pages: Awaited<ReturnType<typeof readFolder>>,
  onRequest: (line: string) => void,
): Promise<RunningIndex> {
  const port = Number(args.port ?? DEFAULT_PORTS.index);
  const misbehave = faultFrom(args, MISBEHAVIOURS, 'index');
  const login = text(args, 'login');
  try {
    return await startIndex({
      pages,
      port,
      onRequest,
      ...(misbehave !== undefined && { misbehave }),
      ...(login !== undefined && { login }),
    });
  } catch (error) {
    throw portTrouble(error, 'starting the stand-in index', port);
  }
}

/** Sentences in lines as long as those of other commands. */
function wrapped(text: string): string {
  return text.replace(/(.{1,116})(?: |$)/g, '$1\n').trimEnd();
}
