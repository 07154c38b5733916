/** `stand-in index`: a small package index on loopback. */
import { resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { count, printable } from '../../core/base/text';
import { chooseCompiler } from '../../core/toolchains/java';
import { MISBEHAVIOURS, readCatalogue, startIndex, type RunningIndex } from '../../standins/index';
import { untilInterrupted } from '../interrupt';
import { portTrouble } from '../port-trouble';
import { EXIT, text, texts, type Arguments, type CommandModule } from './command';

const DEFAULT_PORT = 8427;
/** What projects with a pom.xml are compiled for. */
const OLDEST_JAVA = 17;

export const command: CommandModule = {
  about:
    'Serves a folder as a package index on this machine only, until it is interrupted. Each folder in it with a\n' +
    'pyproject.toml becomes wheels: what lies under src/ is packed, each platform/ARCH/ gives one for that architecture.\n' +
    'Wheels that lie there are served as they are. A folder with a package.json becomes a tarball of a registry of npm\n' +
    'packages; one with a pom.xml is compiled into a JAR of a Maven repository. It can be told to misbehave, to see what\n' +
    'comes of it.',
  examples: [
    ['index demo/fernhaven-packages', 'serve the demo’s packages'],
    ['index wheels --port 0 --misbehave truncated', 'break off every file in the middle'],
  ],
  options: (yargs) =>
    yargs
      .option('port', { type: 'number', requiresArg: true, default: DEFAULT_PORT, describe: '0 for any that is free' })
      .option('misbehave', { choices: MISBEHAVIOURS, requiresArg: true, describe: 'what to do wrong' })
      .option('login', { type: 'string', requiresArg: true, describe: 'NAME:PASSWORD that requests must carry' }),
  async run(args, session) {
    const [kind, folder, ...rest] = texts(args, '_');
    if (kind !== 'index' || folder === undefined || rest.length > 0)
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        expected: '`stand-in index FOLDER`',
        found: `\`${printable(['stand-in', ...texts(args, '_')].join(' '))}\``,
        mend: 'name the folder whose packages are to be served',
      });
    const catalogue = readCatalogue(
      resolve(session.cwd, folder),
      folder,
      chooseCompiler(await session.javas(), OLDEST_JAVA),
    );
    const index = await listen(args, catalogue, (line) => {
      if (session.verbose) session.remark(line);
    });
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
    await untilInterrupted();
    await index.close();
    return EXIT.done;
  },
};

async function listen(
  args: Arguments,
  catalogue: ReturnType<typeof readCatalogue>,
  onRequest: (line: string) => void,
): Promise<RunningIndex> {
  const port = Number(args.port);
  const misbehave = MISBEHAVIOURS.find((one) => one === text(args, 'misbehave'));
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
