/** What a stand-in host keeps in its folder: content by digest, versions of functions, logs, what it holds of settings. */
import { randomBytes, scryptSync } from 'node:crypto';
import {
  appendFileSync,
  chmodSync,
  createReadStream,
  existsSync,
  mkdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  type ReadStream,
} from 'node:fs';
import { join } from 'node:path';
import { namesIn } from '../../core/disk/names-in';
import { temporaryBeside, writeWhole } from '../../core/disk/write';
import { type LogResult, SEAL, type VersionText, type VersionResult } from '../../core/pipeline/deliver';

type LogLine = LogResult['lines'][number];

export interface KeptVersion {
  readonly version: string;
  /** RFC 3339. */
  readonly put: string;
  readonly text: VersionText;
}

export interface KeptFunction {
  readonly name: string;
  readonly current?: string;
  /** The newest last. */
  readonly versions: readonly KeptVersion[];
}

const MOST_LOG_BYTES = 4 * 1024 * 1024;

export class HostStore {
  readonly #folder: string;

  /** @param folder absolute path */
  constructor(folder: string) {
    this.#folder = folder;
    for (const name of ['content', 'functions']) mkdirSync(join(folder, name), { recursive: true });
  }

  contentPath(sha256: string): string {
    return join(this.#folder, 'content', sha256);
  }

  /** Bytes; undefined where there is none. */
  contentSize(sha256: string): number | undefined {
    return statSync(this.contentPath(sha256), { throwIfNoEntry: false })?.size;
  }

  readContent(sha256: string): ReadStream {
    return createReadStream(this.contentPath(sha256));
  }

  /** A place to receive content in. */
  receiving(): string {
    return temporaryBeside(this.contentPath('incoming'));
  }

  takeIn(path: string, sha256: string): void {
    renameSync(path, this.contentPath(sha256));
  }

  names(): string[] {
    return namesIn(join(this.#folder, 'functions'))
      .filter((name) => name.endsWith('.json'))
      .map((name) => name.slice(0, -'.json'.length))
      .sort();
  }

  read(name: string): KeptFunction | undefined {
    const path = this.#path(name, 'json');
    return existsSync(path) ? (JSON.parse(readFileSync(path, 'utf8')) as KeptFunction) : undefined;
  }

  write(kept: KeptFunction): void {
    const path = this.#path(kept.name, 'json');
    writeWhole(path, JSON.stringify(kept, null, 1), path);
    // There are secrets in it.
    chmodSync(path, 0o600);
  }

  remove(name: string): void {
    for (const ending of ['json', 'log']) rmSync(this.#path(name, ending), { force: true });
    this.removeUnused();
  }

  /** Content that no version has any more. */
  removeUnused(): void {
    const used = new Set(this.names().flatMap((name) => (this.read(name)?.versions ?? []).flatMap(contentOf)));
    for (const sha256 of namesIn(join(this.#folder, 'content')))
      if (/^[0-9a-f]{64}$/.test(sha256) && !used.has(sha256)) rmSync(this.contentPath(sha256), { force: true });
  }

  /** Values of settings that whoever runs the host has put there. */
  held(): Readonly<Record<string, string>> {
    const path = join(this.#folder, 'held.json');
    return existsSync(path) ? (JSON.parse(readFileSync(path, 'utf8')) as Record<string, string>) : {};
  }

  log(name: string, lines: readonly LogLine[]): void {
    if (lines.length === 0) return;
    const path = this.#path(name, 'log');
    if ((statSync(path, { throwIfNoEntry: false })?.size ?? 0) > MOST_LOG_BYTES) rmSync(path);
    appendFileSync(path, lines.map((line) => `${JSON.stringify(line)}\n`).join(''));
  }

  readLog(name: string): LogLine[] {
    const path = this.#path(name, 'log');
    if (!existsSync(path)) return [];
    return readFileSync(path, 'utf8')
      .split('\n')
      .filter((line) => line !== '')
      .map((line) => JSON.parse(line) as LogLine);
  }

  #path(name: string, ending: string): string {
    return join(this.#folder, 'functions', `${name}.${ending}`);
  }
}

function contentOf({ text }: KeptVersion): string[] {
  const artifacts = Object.values(text.artifacts).flatMap((one) => [one.sha256, one.waybill]);
  return [...artifacts, ...Object.values(text.beside).map(({ sha256 }) => sha256)];
}

/** A version without what is secret. */
export function told({ settings, held, ...rest }: VersionText): VersionResult {
  const sealed = Object.entries(settings).map(([name, one]) => [
    name,
    'secret' in one ? { seal: sealOf(one.secret) } : one,
  ]);
  return {
    ...rest,
    settings: {
      ...(Object.fromEntries(sealed) as VersionResult['settings']),
      ...Object.fromEntries(held.map((name) => [name, { held: true as const }])),
    },
  };
}

function sealOf(secret: string): { salt: string; scrypt: string } {
  const salt = randomBytes(16);
  const { bytes, ...cost } = SEAL;
  return { salt: salt.toString('base64'), scrypt: scryptSync(secret, salt, bytes, cost).toString('base64') };
}

/** The version that runs. */
export function currentOf(kept: KeptFunction | undefined): KeptVersion | undefined {
  return kept?.versions.find(({ version }) => version === kept.current);
}
