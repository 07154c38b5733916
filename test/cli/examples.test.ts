/** Every example that help, README and docs show is a command line that the program takes. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { COMMANDS } from '../../src/cli/commands/list';
import { folderWith, run } from '../support/program';

const ROOT = join(__dirname, '../..');
/** They go on until they are interrupted, or for a minute; tests of their own run them. */
const LONG = ['stand-in', 'demo'];

/** The words of a line as a shell would part them, up to what is the shell's own. */
function wordsOf(line: string): string[] {
  const plain = line.replace(/\s+(?:#|[|>&;]|&&).*$/, '');
  return [...plain.matchAll(/"([^"]*)"|'([^']*)'|(\S+)/g)].map(
    ([, double, single, bare]) => double ?? single ?? bare ?? '',
  );
}

/** Lines of shell blocks in the pages that begin with the program's name. */
function linesInDocs(): [string, string][] {
  const pages = [
    'README.md',
    ...readdirSync(join(ROOT, 'docs'))
      .filter((name) => name.endsWith('.md'))
      .map((name) => `docs/${name}`),
  ];
  return pages.flatMap((page) =>
    [...readFileSync(join(ROOT, page), 'utf8').matchAll(/```(?:sh|console)\n([\s\S]*?)```/g)].flatMap(
      ([, block = '']) =>
        [...block.matchAll(/^(?:\$ )?(?:npx )?emballage (.+)$/gm)].map(([, line = '']): [string, string] => [
          page,
          line,
        ]),
    ),
  );
}

describe('examples', () => {
  it('in help, README and docs are command lines that are taken', async () => {
    const empty = folderWith({});
    const inHelp = await Promise.all(
      COMMANDS.map(async (entry) =>
        (await entry.load()).command.examples.map(([args]): [string, string] => [
          `${entry.name} --help`,
          `${entry.name} ${args}`,
        ]),
      ),
    );
    const all = [...inHelp.flat(), ...linesInDocs()].filter(([, line]) => !LONG.includes(line.split(' ')[0] ?? ''));
    expect(all.length).toBeGreaterThan(30);
    const refused = all.filter(([, line]) => {
      // Without a sheet nothing is done, but the words are read.
      const { stderr } = run(empty, wordsOf(line));
      return stderr.includes('while reading the command line');
    });
    expect(refused).toEqual([]);
  });
});
