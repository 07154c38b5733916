/** Versions of assemblies and packages that do not go together. */
import { printable } from '../../../base/text';
import { overridden } from '../../../findings/overridden';
import type { Finding, FunctionFacts } from '../../../findings/rule';
import type { Waybill } from '../../../waybill';
import { compareVersions, parseRange, parseVersion } from '../packages/version';
import { ownAssemblies, reachedFrom, type PublishedView } from './shared';

/** An assembly that is older than somebody was compiled against is refused when it is loaded. */
export function clashesInDotnet(view: PublishedView | undefined, facts: FunctionFacts): Finding[] {
  return [...(view === undefined ? [] : [...older(view, facts), ...doubled(view)]), ...overriddenIn(facts.waybill)];
}

function older(view: PublishedView, facts: FunctionFacts): Finding[] {
  const reached = reachedFrom(view);
  const own = ownAssemblies(view, facts);
  const found: Finding[] = [];
  for (const [path, { references }] of view.assemblies.all)
    for (const { name, version, culture } of references) {
      const [packed] = view.assemblies.byName.get(name.toLowerCase()) ?? [];
      const [wanted, there] = [parseVersion(version), parseVersion(packed?.assembly.version ?? '')];
      if (culture !== '' || packed === undefined || wanted === undefined || there === undefined) continue;
      if (compareVersions(there, wanted) >= 0) continue;
      found.push({
        level: own.has(path) || reached.has(path) ? 'stop' : 'note',
        where: printable(packed.path),
        expected: `version ${printable(version)} or newer, against which ${printable(path)} was compiled`,
        found: `version ${printable(packed.assembly.version)}`,
        mend: 'state the newer package for the project itself, and publish again',
      });
    }
  return found;
}

/** Of two assemblies of one name the host takes one, and nobody says which. */
function doubled({ assemblies }: PublishedView): Finding[] {
  return [...assemblies.byName.values()].flatMap((all): Finding[] => {
    // Those for systems lie in folders of their own, of which the host chooses.
    const plain = all.filter(({ path }) => !/(?:^|\/)runtimes\//.test(path));
    const [first, second] = plain;
    if (first === undefined || second === undefined) return [];
    const isSame = first.assembly.id === second.assembly.id;
    return [
      {
        level: isSame ? 'note' : 'warn',
        where: printable(second.path),
        expected: `one assembly \`${printable(first.assembly.name)}\``,
        found: `another one, ${printable(first.path)}${isSame ? ', the same build' : `, of version ${first.assembly.version} where this is ${second.assembly.version}`}`,
        mend: 'publish again into an empty folder; leave the other one out',
      },
    ];
  });
}

function overriddenIn(waybill: Waybill | undefined): Finding[] {
  return (waybill?.dotnet?.clashes ?? []).map((clash) => {
    const [range, there] = [parseRange(clash.version), parseVersion(clash.used)];
    const low = range === undefined || range === 'floating' ? undefined : range.low;
    const isOlder = low !== undefined && there !== undefined && compareVersions(there, low) < 0;
    return overridden(clash, {
      isOlder,
      mend: `state \`${printable(clash.name)}/${low?.text ?? ''}\` under \`needs\``,
    });
  });
}
