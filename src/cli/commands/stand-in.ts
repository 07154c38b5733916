/** `stand-in index` and `stand-in registry`: small services on loopback. */
import { resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { present } from '../../core/base/present';
import { count, printable } from '../../core/base/text';
import { chooseCompiler } from '../../core/languages/jvm/run/machines';
import { MISBEHAVIOURS, readCatalogue, startIndex, type RunningIndex } from '../../standins/index/index';
import { REGISTRY_FAULTS, startRegistry, type RunningRegistry } from '../../standins/registry';
import { untilInterrupted } from '../interrupt';
import { portTrouble } from '../port-trouble';
import type { Session } from '../session';
import { EXIT, text, texts, type Arguments, type CommandModule } from './command';

const DEFAULT_PORTS = { index: 8427, registry: 8430 } as const;
/** What projects with a pom.xml are compiled for. */
const OLDEST_JAVA = 17;

export const command: CommandModule = {
  about:
    'Simulates a service on this machine only, until it is interrupted. `index` serves a folder as a package index: each\n' +
    'folder in it with a pyproject.toml becomes wheels (what lies under src/ is packed, each platform/ARCH/ gives one for\n' +
    'that architecture); wheels that lie there are served as they are; a folder with a package.json becomes a tarball of a\n' +
    'registry of npm packages; one with a pom.xml is compiled into a JAR of a Maven repository. `registry` keeps container\n' +
    'images in a folder. Both can be told to misbehave, to see what comes of it.',
  examples: [
    ['index demo/fernhaven-packages', 'serve the demo’s packages'],
    [
      'registry /tmp/moorings --port 0 --login harbour:secret --tokens',
      'a registry that wants a login and gives tokens',
    ],
    ['index wheels --port 0 --misbehave truncated', 'break off every file in the middle'],
  ],
  options: (yargs) =>
    yargs
      .option('port', {
        type: 'number',
        requiresArg: true,
        describe: `0 for any that is free; ${String(DEFAULT_PORTS.index)} for an index, ${String(DEFAULT_PORTS.registry)} for a registry otherwise`,
      })
      .option('misbehave', {
        choices: [...new Set([...MISBEHAVIOURS, ...REGISTRY_FAULTS])],
        requiresArg: true,
        describe: `what to do wrong; a registry knows ${REGISTRY_FAULTS.join(', ')}, an index the others`,
      })
      .option('login', { type: 'string', requiresArg: true, describe: 'NAME:PASSWORD that requests must carry' })
      .option('tokens', { type: 'boolean', default: false, describe: 'registry: with --login, give tokens for it' }),
  async run(args, session) {
    const [kind, folder, ...rest] = texts(args, '_');
    if ((kind !== 'index' && kind !== 'registry') || folder === undefined || rest.length > 0)
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        expected: '`stand-in index FOLDER` or `stand-in registry FOLDER`',
        found: `\`${printable(['stand-in', ...texts(args, '_')].join(' '))}\``,
        mend: 'name the folder whose packages are to be served, or in which images are kept',
      });
    const close =
      kind === 'index' ? await serveIndex(args, folder, session) : await serveRegistry(args, folder, session);
    await untilInterrupted();
    await close();
    return EXIT.done;
  },
};

async function serveRegistry(args: Arguments, folder: string, session: Session): Promise<() => Promise<void>> {
  const port = Number(args.port ?? DEFAULT_PORTS.registry);
  const login = text(args, 'login');
  let registry: RunningRegistry;
  try {
    registry = await startRegistry({
      folder: resolve(session.cwd, folder),
      ...{ port, tokens: args.tokens === true, onRequest: (line: string) => logRequest(session, line) },
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
  const catalogue = readCatalogue(
    resolve(session.cwd, folder),
    folder,
    chooseCompiler(await session.javas(), OLDEST_JAVA),
  );
  const index = await listen(args, catalogue, (line) => logRequest(session, line));
  const { wheels, npm, maven } = catalogue;
  const files = [...wheels.values(), ...npm.values()].reduce((sum, some) => sum + some.length, 0);
  const projects = [...wheels.keys(), ...npm.keys()];
  session.document({ url: index.url, npmUrl: index.npmUrl, mavenUrl: index.mavenUrl, projects, files });
  const { paint } = session;
  session.say(`${count(projects.length, 'project')}, ${count(files, 'file')} at ${paint.name(index.url)}`);
  if (npm.size > 0) session.say(`npm packages at ${paint.name(index.npmUrl)}`);
  if (maven.size > 0) session.say(`${count(maven.size, 'Maven artifact')} at ${paint.name(index.mavenUrl)}`);
  session.tell(
    `\n${paint.dim('Interrupt this command to end it. Name it in the sheet:')} ${paint.bold(`sources: [{ index: "${index.url}" }]`)}`,
  );
  if (npm.size > 0) session.tell(`${paint.dim('and in .npmrc:')} ${paint.bold(`registry=${index.npmUrl}`)}`);
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
  catalogue: ReturnType<typeof readCatalogue>,
  onRequest: (line: string) => void,
): Promise<RunningIndex> {
  const port = Number(args.port ?? DEFAULT_PORTS.index);
  const misbehave = faultFrom(args, MISBEHAVIOURS, 'index');
  const login = text(args, 'login');
  try {
    return await startIndex({
      catalogue,
      port,
      onRequest,
      ...(misbehave !== undefined && { misbehave }),
      ...(login !== undefined && { login }),
    });
  } catch (error) {
    throw portTrouble(error, 'starting the stand-in index', port);
  }
}
