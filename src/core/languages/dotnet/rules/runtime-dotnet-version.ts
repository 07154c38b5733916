import { besideAssembly } from '../published/beside';
import { printable } from '../../../base/text';
import { findings, type Finding, type Rule } from '../../../findings/rule';
import { offeredRuntime } from '../../../sheet';
import { parseFramework } from '../packages/frameworks';
import { CORE, frameworkVersion, rollsTo } from '../published/runtime-config';
import { publishedIn, versionOf, type PublishedView } from './shared';

const WINDOWS = 'Microsoft.WindowsDesktop.App';

export const runtimeDotnetVersion: Rule = {
  id: 'runtime/dotnet-version',
  level: 'stop',
  title: 'The frameworks that it asks for are there',
  why: 'The host reads which framework an application asks for, and which others it would take; where none of them is there, it ends before any code of yours runs.',
  mend: 'Publish for the framework that the destination has, or say with `rollForward` that a newer one will do.',
  needs: ['runtime'],
  check({ subject, facts, destination }) {
    const view = publishedIn(subject);
    const version = versionOf(facts);
    if (view === undefined || version === undefined) return findings();
    const runtime = facts.runtime === undefined ? undefined : offeredRuntime(destination, facts.runtime);
    return findings(
      ...unreadable(view),
      ...asked(view, version, runtime?.patch, runtime?.provides ?? []),
      ...compiledFor(view, version),
    );
  },
};

function unreadable({ faults }: PublishedView): Finding[] {
  return faults.map(({ path, what }) => ({
    level: 'stop',
    where: printable(path),
    expected: 'what tells the host about the application',
    found: printable(what),
    mend: 'publish again into an empty folder',
  }));
}

function asked(
  view: PublishedView,
  version: string,
  patch: string | undefined,
  provides: readonly string[],
): Finding[] {
  const where = besideAssembly(view.entry).config;
  const { config } = view;
  if (config === undefined) {
    if (view.paths.has(where) || !view.assemblies.all.has(view.entry)) return [];
    return [
      {
        level: 'warn',
        where: printable(where),
        expected: 'a file that says which framework to start',
        found: 'none, so that only a host that asks nothing can call it',
        mend: 'publish with `GenerateRuntimeConfigurationFiles`, or build with Emballage, which writes one',
      },
    ];
  }
  if (config.isSelfContained) return [];
  return config.frameworks.flatMap(({ name, version: wanted }): Finding[] => {
    const tell = (expected: string, found: string, mend: string): Finding[] => [
      { level: 'stop', where: printable(where), expected, found: printable(found), mend },
    ];
    if (name === WINDOWS)
      return tell(
        'a framework that is there on Linux',
        `${name} ${wanted}`,
        'take what is for the desktop out of the project',
      );
    if (name !== CORE && !provides.some((one) => one.split(/[\s/]/)[0] === name))
      return tell(
        `only ${CORE}, or what the destination \`provides\``,
        `${name} ${wanted}`,
        `publish without it, or list \`${name}\` under \`provides\` of \`dotnet ${version}\` where it is there`,
      );
    if (name !== CORE || rollsTo(wanted, config.rollForward, patch ?? version)) return [];
    const major = wanted.split('.')[0] ?? '';
    const isNewer = Number(major) > Number(version);
    return tell(
      `a framework that .NET ${patch ?? version} can be`,
      `${name} ${wanted}${config.rollForward === 'Minor' ? '' : `, \`rollForward: ${config.rollForward}\``}`,
      isNewer
        ? `publish for ${frameworkVersion(version)}, or set \`runtime: dotnet ${major}\``
        : `publish for ${frameworkVersion(version)}, or with \`RollForward\` \`Major\``,
    );
  });
}

/** What the assembly itself says, whatever the file beside it does. */
function compiledFor({ assemblies, entry }: PublishedView, version: string): Finding[] {
  const text = assemblies.all.get(entry)?.framework;
  const framework = text === undefined ? undefined : parseFramework(text);
  if (text === undefined || framework?.family !== 'core') return [];
  const [major = 0, minor = 0] = frameworkVersion(version).split('.').map(Number);
  if (framework.major < major || (framework.major === major && framework.minor <= minor)) return [];
  return [
    {
      level: 'stop',
      where: printable(entry),
      expected: `an assembly for .NET ${frameworkVersion(version)} or older`,
      found: `one for ${printable(text)}`,
      mend: `publish for ${frameworkVersion(version)}, or set \`runtime: dotnet ${String(framework.major)}\``,
    },
  ];
}
