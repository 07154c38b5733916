import { projectFor, type Project } from '../sources/candidates';
import { parseMetadata, type CoreMetadata } from '../wheel/metadata';
import { parseRequirement } from '../versions/requirement';
import { resolveRequirements, type StatedRequirement } from './resolve';
import type { PythonTarget } from '../versions/tags';

const TARGET: PythonTarget = { arch: 'x86_64', python: '3.9', glibc: '2.36' };
/** `ropes` has wheels but for one version, and its newest wants a newer Python. */
const FILES: readonly [file: string, requiresPython?: string][] = [
  ['ropes-1.0.tar.gz'],
  ['ropes-1.1.tar.gz'],
  ['ropes-1.1-py3-none-any.whl'],
  ['ropes-2.0-py3-none-any.whl', '>=3.10'],
];
const METADATA = 'Metadata-Version: 2.1\nName: ropes\nVersion: 1\nProvides-Extra: knots\n';

const NONE: CoreMetadata = { name: '', version: '', requires: [], extras: [], licenseFiles: [] };

function stated(text: string): StatedRequirement {
  const reading = parseRequirement(text);
  if (reading.kind === 'fault') throw new Error(text);
  return { requirement: reading.requirement, by: 'requirements.txt:1' };
}

async function settle(...texts: string[]): Promise<{ versions: string[]; notes: string[] }> {
  const notes: string[] = [];
  const files = FILES.map(([file, requiresPython]) => ({
    file,
    url: `https://harbour.example/${file}`,
    ...(requiresPython !== undefined && { requiresPython }),
  }));
  const resolved = await resolveRequirements({
    name: 'berths',
    target: TARGET,
    requirements: texts.map(stated),
    source: {
      project: (name): Promise<Project> => Promise.resolve(projectFor(name, files, TARGET, true)),
      metadata: (): Promise<CoreMetadata> => Promise.resolve({ ...NONE, ...parseMetadata(METADATA) }),
    },
    provided: new Set(),
    prefer: new Map(),
    onNote: (text) => notes.push(text),
  });
  const versions = resolved.map(({ name, candidate }) => `${name} ${candidate.version.text} ${candidate.kind}`);
  return { versions, notes };
}

describe('a requirement', () => {
  it('takes a version that is there as source only where exactly that is asked for', async () => {
    expect(await settle('ropes')).toEqual({ versions: ['ropes 1.1 wheel'], notes: [] });
    expect((await settle('ropes==1.0')).versions).toEqual(['ropes 1.0 sdist']);
    await expect(settle('ropes<1.1')).rejects.toMatchObject({
      facts: {
        details: expect.arrayContaining([expect.stringContaining('pin `ropes==1.0` to have it built')]) as unknown,
      },
    });
  });

  it('for an extra that is not there is noted', async () => {
    expect((await settle('ropes[knots]')).notes).toEqual([]);
    expect((await settle('ropes[kots]')).notes).toEqual(['ropes 1.1 has no extra `kots`: it has knots']);
  });

  it('of a version for a newer Python is told which is the newest that can be used', async () => {
    await expect(settle('ropes==2.0')).rejects.toMatchObject({
      facts: {
        details: expect.arrayContaining([
          'ropes 2.0: wants Python >=3.10; the newest that this target can use is 1.1',
        ]) as unknown,
      },
    });
  });
});
