/**
 * Where the files of a wheel go in an artifact: importable files at its top, scripts in `bin/` (the binary distribution
 * format, "Installing a wheel"). Nothing is written here; the result lists what goes where.
 */
import { ownOf } from '../../../base/own';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { unsafePathReason } from '../../../base/paths';
import { printable } from '../../../base/text';
import { badWheel, type UnpackedFile, type UnpackedWheel } from './wheel';

export interface InstalledFile {
  /** Path in the artifact. */
  readonly path: string;
  readonly isProgram: boolean;
  /** Path in the wheel. */
  readonly from: string;
  readonly content:
    | { readonly kind: 'file'; readonly source: string; readonly sha256: string; readonly size: number }
    | { readonly kind: 'text'; readonly text: string };
  /** What made it, for files that the wheel does not hold. */
  readonly madeFrom?: string;
}

/** The schemes of a `.data` folder, and where they go: a prefix, or nowhere. */
const SCHEMES: Readonly<Record<string, string | undefined>> = {
  purelib: '',
  platlib: '',
  data: '',
  scripts: 'bin/',
  headers: 'include/',
};

/** @param file the wheel's file name, for messages */
export function installWheel(wheel: UnpackedWheel, file: string): InstalledFile[] {
  const stem = wheel.distInfo.slice(0, -'.dist-info'.length);
  const installed: InstalledFile[] = [];
  for (const one of wheel.files) {
    if (one.path === `${wheel.distInfo}/RECORD` || /\.dist-info\/RECORD\.(?:jws|p7s)$/.test(one.path)) continue;
    const [, scheme, rest] = one.path.startsWith(`${stem}.data/`)
      ? (/^[^/]+\/([^/]+)\/(.+)$/.exec(one.path) ?? [])
      : [];
    const prefix = scheme === undefined ? '' : ownOf(SCHEMES, scheme);
    if (prefix === undefined || (scheme !== undefined && rest === undefined))
      throw badWheel(file, 'a known scheme in its .data folder', `\`${printable(one.path)}\``);
    const path = prefix + (rest ?? one.path);
    const source = join(wheel.folder, one.path);
    if (scheme === 'scripts') installed.push(script(path, source, one));
    else
      installed.push({
        path,
        isProgram: one.isProgram,
        from: one.path,
        content: { kind: 'file', source, sha256: one.sha256, size: one.size },
      });
  }
  const entryPoints = wheel.files.some(({ path }) => path === `${wheel.distInfo}/entry_points.txt`)
    ? readFileSync(join(wheel.folder, wheel.distInfo, 'entry_points.txt'), 'utf8')
    : '';
  const taken = new Set(installed.map(({ path }) => path));
  for (const one of consoleScripts(entryPoints, file)) if (!taken.has(one.path)) installed.push(one);
  return installed;
}

/** "If a script begins with `#!python`, rewrite": to whichever Python the host has. */
function script(path: string, source: string, { path: from, sha256, size }: UnpackedFile): InstalledFile {
  const text = size < 1024 * 1024 ? readFileSync(source, 'latin1') : '';
  if (!text.startsWith('#!python'))
    return { path, from, isProgram: true, content: { kind: 'file', source, sha256, size } };
  const rewritten = text.replace(/^#!pythonw?/, '#!/usr/bin/env python3');
  return {
    path,
    from,
    isProgram: true,
    content: { kind: 'text', text: Buffer.from(rewritten, 'latin1').toString('utf8') },
    madeFrom: 'script of the wheel',
  };
}

export interface EntryPoint {
  readonly group: string;
  readonly name: string;
  /** `levels.cli`, `levels.cli:main`. */
  readonly target: string;
}

/** The entry points of a distribution (entry_points.txt, an INI file). */
export function readEntryPoints(text: string): EntryPoint[] {
  const points: EntryPoint[] = [];
  let group = '';
  for (const line of text.split(/\r?\n/)) {
    const [, section] = /^\s*\[([^\]]+)\]\s*$/.exec(line) ?? [];
    if (section !== undefined) group = section.trim();
    const [, name, target] = /^\s*([^#;=\s][^=]*?)\s*=\s*([\w.]+(?:\s*:\s*[\w.]+)?)/.exec(line) ?? [];
    if (section === undefined && name !== undefined && target !== undefined)
      points.push({ group, name, target: target.replace(/\s+/g, '') });
  }
  return points;
}

function consoleScripts(text: string, file: string): InstalledFile[] {
  return readEntryPoints(text)
    .filter(({ group }) => group === 'console_scripts')
    .map(({ name, target }) => {
      if (unsafePathReason(`bin/${name}`) !== undefined || name.includes('/'))
        throw badWheel(file, 'names of scripts', `\`${printable(name)}\``);
      const [module = '', member = 'main'] = target.split(':');
      const [top = member] = member.split('.');
      const code = `#!/usr/bin/env python3\nimport sys\n\nfrom ${module} import ${top}\n\nif __name__ == "__main__":\n    sys.exit(${member}())\n`;
      return {
        path: `bin/${name}`,
        from: '',
        isProgram: true,
        content: { kind: 'text' as const, text: code },
        madeFrom: 'entry point',
      };
    });
}
