/**
 * Makes a wheel from a project folder: `pyproject.toml` says what it is, everything under `src/` is packed, and each
 * folder `platform/ARCH/` gives a wheel of its own for that architecture. The same folder gives the same bytes.
 */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { crc32, deflateRawSync } from 'node:zlib';
import { EmballageError } from '../../../base/errors';
import { comparePaths, joinPath } from '../../../base/paths';
import { printable } from '../../../base/text';
import { contentDigest } from '../../../disk/digest';
import { DOS_FLOOR, METHOD_DEFLATED, ZipWriter, type ZipSink } from '../../../formats/zip';
import type { Arch } from '../../../sheet';
import { normalizeName } from '../versions/marker';
import { readToml } from '../locks/pyproject';
import { formatRecord } from './record';
import { MACHINES } from '../versions/tags';
import { parseVersion } from '../versions/version';

export interface MadeWheel {
  /** Normalised name of the project. */
  readonly name: string;
  readonly version: string;
  readonly file: string;
  readonly bytes: Buffer;
  readonly metadata: string;
  readonly requiresPython?: string;
  /** The reason, where the project says that this version is withdrawn. */
  readonly yanked?: string;
}

interface ProjectTable {
  readonly name: string;
  readonly version: string;
  readonly requiresPython?: string;
  readonly licence?: string;
  readonly dependencies: readonly string[];
  readonly optional: Readonly<Record<string, readonly string[]>>;
  readonly scripts: Readonly<Record<string, string>>;
  readonly summary?: string;
  readonly yanked?: string;
}

/** @param folder absolute path of the project, and `shown` its name in messages */
export function makeWheels(folder: string, shown: string): MadeWheel[] {
  const project = readProject(readFileSync(join(folder, 'pyproject.toml'), 'utf8'), `${shown}/pyproject.toml`);
  const names = readdirSync(folder);
  if (!names.includes('src') && !names.includes('platform')) throw nothingToPack(shown);
  const common = names.includes('src') ? filesBelow(join(folder, 'src'), '') : [];
  const made = names.includes('platform') ? readdirSync(join(folder, 'platform')) : [];
  const platforms = (Object.keys(MACHINES) as Arch[]).filter((arch) => made.includes(arch));
  if (platforms.length === 0) return [makeWheel(project, common, undefined)];
  return platforms.map((arch) =>
    makeWheel(project, [...common, ...filesBelow(join(folder, 'platform', arch), '')], arch),
  );
}

function nothingToPack(shown: string): EmballageError {
  return new EmballageError('PACKAGE_INVALID', {
    doing: 'making a wheel',
    where: printable(shown),
    expected: 'what it packs, under `src/`, or under `platform/ARCH/`',
    found: 'neither folder',
    mend: 'put the modules into `src/`',
  });
}

export interface WheelMember {
  readonly path: string;
  readonly content: Buffer;
}

function makeWheel(project: ProjectTable, files: readonly WheelMember[], arch: Arch | undefined): MadeWheel {
  const stem = `${normalizeName(project.name).replaceAll('-', '_')}-${project.version}`;
  const tag = arch === undefined ? 'py3-none-any' : `py3-none-manylinux_2_17_${MACHINES[arch]}`;
  const info = `${stem}.dist-info`;
  const metadata = metadataOf(project);
  const text = (path: string, content: string): WheelMember => ({
    path: `${info}/${path}`,
    content: Buffer.from(content),
  });
  const scripts = Object.entries(project.scripts).map(([name, target]) => `${name} = ${target}\n`);
  const members = [
    ...files,
    text('METADATA', metadata),
    text(
      'WHEEL',
      `Wheel-Version: 1.0\nGenerator: emballage\nRoot-Is-Purelib: ${String(arch === undefined)}\nTag: ${tag}\n`,
    ),
    ...(scripts.length === 0 ? [] : [text('entry_points.txt', `[console_scripts]\n${scripts.join('')}`)]),
  ];
  const bytes = packWheel(info, members);
  const { requiresPython, yanked } = project;
  return {
    name: normalizeName(project.name),
    version: project.version,
    file: `${stem}-${tag}.whl`,
    bytes,
    metadata,
    ...(requiresPython !== undefined && { requiresPython }),
    ...(yanked !== undefined && { yanked }),
  };
}

function metadataOf(project: ProjectTable): string {
  const extras = Object.entries(project.optional);
  return [
    'Metadata-Version: 2.1',
    `Name: ${project.name}`,
    `Version: ${project.version}`,
    ...(project.summary === undefined ? [] : [`Summary: ${project.summary}`]),
    ...(project.requiresPython === undefined ? [] : [`Requires-Python: ${project.requiresPython}`]),
    // An expression (PEP 639), which version 2.4 of the metadata has; readers of older ones pass it over.
    ...(project.licence === undefined ? [] : [`License-Expression: ${project.licence}`]),
    ...extras.map(([extra]) => `Provides-Extra: ${extra}`),
    ...project.dependencies.map((requirement) => `Requires-Dist: ${requirement}`),
    ...extras.flatMap(([extra, list]) => list.map((requirement) => `Requires-Dist: ${withExtra(requirement, extra)}`)),
    '',
  ].join('\n');
}

/** `a>1; m` for an extra is `a>1; (m) and extra == "x"`. */
function withExtra(requirement: string, extra: string): string {
  const [what = '', marker] = requirement.split(';');
  const condition = `extra == "${extra}"`;
  return marker === undefined ? `${what}; ${condition}` : `${what}; (${marker.trim()}) and ${condition}`;
}

/** Packs the members of a wheel, with a RECORD that lists them; the same members give the same bytes. @param info its .dist-info folder */
export function packWheel(info: string, members: readonly WheelMember[]): Buffer {
  const rows = members.map(({ path, content }) => ({
    path,
    sha256: contentDigest(content),
    size: content.length,
  }));
  const record = { path: `${info}/RECORD`, content: Buffer.from(formatRecord([...rows, { path: `${info}/RECORD` }])) };
  return zip([...members, record].sort((a, b) => comparePaths(a.path, b.path)));
}

function zip(members: readonly WheelMember[]): Buffer {
  const chunks: Uint8Array[] = [];
  const sink: ZipSink = {
    append: (bytes) => chunks.push(Uint8Array.from(bytes)),
    hold: () => undefined,
    release: () => undefined,
    patch: () => undefined,
  };
  const writer = new ZipWriter(sink, DOS_FLOOR);
  for (const { path, content } of members)
    writer.add(
      { path, kind: 'file', mode: 0o644 },
      {
        method: METHOD_DEFLATED,
        crc32: crc32(content),
        uncompressedSize: content.length,
        data: new Uint8Array(deflateRawSync(content, { level: 6 })),
      },
    );
  writer.finish();
  return Buffer.concat(chunks);
}

function filesBelow(folder: string, path: string): WheelMember[] {
  return readdirSync(join(folder, path), { withFileTypes: true }).flatMap((entry) => {
    const below = joinPath(path, entry.name);
    if (entry.name === '__pycache__') return [];
    if (entry.isDirectory()) return filesBelow(folder, below);
    return entry.isFile() ? [{ path: below, content: readFileSync(join(folder, below)) }] : [];
  });
}

function readProject(text: string, shown: string): ProjectTable {
  const { value, problems } = readToml(text, shown);
  const fail = (more: typeof problems): never => {
    throw new EmballageError('PACKAGE_INVALID', {
      doing: 'making a wheel',
      found: `${String(more.length)} mistakes`,
      mend: 'mend what is listed',
      problems: more,
    });
  };
  if (value === undefined) return fail(problems);
  const project = (value.project ?? {}) as Record<string, unknown>;
  const standIn = ((value.tool as Record<string, unknown> | undefined)?.['stand-in'] ?? {}) as Record<string, unknown>;
  const { name, version } = project;
  const settled = typeof version === 'string' ? parseVersion(version) : undefined;
  if (typeof name !== 'string' || settled === undefined)
    return fail([
      {
        place: { file: shown, line: 1, column: 1 },
        expected: '`name` and `version` under `[project]`',
        found: `\`${printable(String(name))}\` and \`${printable(String(version))}\``,
        mend: 'write both',
      },
    ]);
  const requiresPython = project['requires-python'];
  return {
    name,
    version: settled.text,
    ...(typeof requiresPython === 'string' && { requiresPython }),
    ...(typeof project.license === 'string' && { licence: project.license }),
    ...(typeof project.description === 'string' && { summary: project.description }),
    dependencies: texts(project.dependencies),
    optional: Object.fromEntries(
      Object.entries((project['optional-dependencies'] ?? {}) as Record<string, unknown>).map(([key, list]) => [
        key,
        texts(list),
      ]),
    ),
    scripts: (project.scripts ?? {}) as Record<string, string>,
    ...(typeof standIn.yanked === 'string' && { yanked: standIn.yanked }),
  };
}

function texts(value: unknown): string[] {
  return Array.isArray(value) ? value.map(String) : [];
}
