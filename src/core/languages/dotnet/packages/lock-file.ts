/** `packages.lock.json`: what the ecosystem's own client has settled ("Enable repeatable package restores"). */
import { z } from 'zod';
import { EmballageError } from '../../../base/errors';
import { listed, printable } from '../../../base/text';
import { ridOf, type System } from '../published/systems';
import { fit, frameworkFor, parseFramework } from './frameworks';
import { parseVersion } from './version';

export const LOCK_FILE = 'packages.lock.json';

export interface SettledPackage {
  readonly name: string;
  readonly version: string;
  readonly contentHash: string;
  readonly isDirect: boolean;
  /** Who asks for it, and as which versions. */
  readonly asked: readonly { readonly by: string; readonly as: string }[];
}

const row = z.object({
  type: z.string(),
  requested: z.string().optional(),
  resolved: z.string().optional(),
  contentHash: z.string().optional(),
  dependencies: z.record(z.string(), z.string()).optional(),
});
const document = z.object({
  version: z.union([z.literal(1), z.literal(2)]),
  dependencies: z.record(z.string(), z.record(z.string(), row)),
});

/** What it has for a target. @throws EmballageError REQUIREMENTS_INVALID */
export function readLockFile(text: string, shown: string, own: string, system: System): SettledPackage[] {
  const read = document.safeParse(json(text, shown));
  if (!read.success) {
    const [issue] = read.error.issues;
    throw bad(
      shown,
      'a lock of version 1 or 2',
      `${issue?.path.join('.') ?? ''}: ${issue?.message ?? ''}`,
      'lock again with the SDK',
    );
  }
  const { dependencies } = read.data;
  const framework = frameworkIn(Object.keys(dependencies), system);
  if (framework === undefined)
    throw bad(
      shown,
      `what was settled for the framework of dotnet ${String(system.version)}`,
      listed(Object.keys(dependencies).map(printable)) || 'nothing',
      'correct `runtime`, or lock the project for that framework too',
    );
  // What is for a system lists only what is not for all.
  const rows = new Map(
    [framework, `${framework}/${ridOf(system)}`].flatMap((key) => Object.entries(dependencies[key] ?? {})),
  );
  const asked = new Map<string, { by: string; as: string }[]>();
  const ask = (name: string, by: string, as: string): void => {
    asked.set(name.toLowerCase(), [...(asked.get(name.toLowerCase()) ?? []), { by, as }]);
  };
  for (const [name, one] of rows) {
    if (one.type === 'Direct') ask(name, own, one.requested ?? 'any version');
    for (const [other, range] of Object.entries(one.dependencies ?? {}))
      ask(other, one.type === 'Project' ? own : name, range);
  }
  return [...rows].flatMap(([name, { type, resolved, contentHash }]) => {
    if (type === 'Project') return [];
    const version = parseVersion(resolved ?? '')?.text;
    if (version === undefined || contentHash === undefined)
      throw bad(shown, `\`resolved\` and \`contentHash\` of ${printable(name)}`, 'none', 'lock again with the SDK');
    return [{ name, version, contentHash, isDirect: type === 'Direct', asked: asked.get(name.toLowerCase()) ?? [] }];
  });
}

function frameworkIn(keys: readonly string[], { version }: System): string | undefined {
  const own = frameworkFor(String(version));
  const ranked = keys.flatMap((key) => {
    const framework = key.includes('/') ? undefined : parseFramework(key);
    const points = framework === undefined ? undefined : fit(framework, own);
    return points === undefined || points < 0 ? [] : [{ key, points }];
  });
  return ranked.sort((a, b) => b.points - a.points)[0]?.key;
}

function json(text: string, shown: string): unknown {
  try {
    return JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch {
    throw bad(shown, 'JSON', 'something else', 'mend the file');
  }
}

function bad(where: string, expected: string, found: string, mend: string): EmballageError {
  return new EmballageError('REQUIREMENTS_INVALID', {
    doing: 'reading a lock of packages',
    where: printable(where),
    expected,
    found: printable(found),
    mend,
  });
}
