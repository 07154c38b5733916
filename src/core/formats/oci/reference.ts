/** Names of images at a registry: `HOST[:PORT]/NAME[:TAG][@DIGEST]` (OCI distribution specification 1.1, "Pulling manifests"). */
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';

export interface ImageReference {
  /** `harbour.example:5000`. */
  readonly host: string;
  /** `bases/python`. */
  readonly name: string;
  readonly tag?: string;
  readonly digest?: string;
}

const NAME = /^[a-z0-9]+(?:(?:\.|_|__|-+)[a-z0-9]+)*(?:\/[a-z0-9]+(?:(?:\.|_|__|-+)[a-z0-9]+)*)*$/;
const TAG = /^[a-zA-Z0-9_][a-zA-Z0-9._-]{0,127}$/;
const DIGEST = /^sha256:[0-9a-f]{64}$/;
const HOST = /^(?:[a-zA-Z0-9](?:[a-zA-Z0-9.-]*[a-zA-Z0-9])?|\[[0-9a-fA-F:]+\])(?::\d{1,5})?$/;
const MAX_NAME_LENGTH = 255;

/** Why a text is no reference; undefined for one. */
export function referenceFault(text: string): string | undefined {
  const read = split(text);
  if (read === undefined) return 'no `/` between the registry and the name';
  const { host, name, tag, digest } = read;
  if (!HOST.test(host)) return `the registry \`${printable(host)}\``;
  const fault = nameFault(name) ?? (tag === undefined ? undefined : tagFault(tag));
  return fault ?? (digest === undefined || DIGEST.test(digest) ? undefined : `the digest \`${printable(digest)}\``);
}

/** Why a text is no name of a repository. */
export function nameFault(name: string): string | undefined {
  if (NAME.test(name) && name.length <= MAX_NAME_LENGTH) return undefined;
  return `the name \`${printable(name)}\`: small letters, digits and single \`.\`, \`_\`, \`-\` or \`/\` between them`;
}

/** Why a text is no tag. */
export function tagFault(tag: string): string | undefined {
  if (TAG.test(tag)) return undefined;
  return `the tag \`${printable(tag)}\`: letters, digits, \`_\`, \`.\` and \`-\`, at most 128, the first no \`.\` or \`-\``;
}

/** Whether a text is `HOST[:PORT]` of a registry. */
export function isHost(text: string): boolean {
  return HOST.test(text);
}

/**
 * @param doing for messages
 * @throws EmballageError USAGE
 */
export function parseReference(text: string, doing: string): ImageReference {
  const fault = referenceFault(text);
  const read = split(text);
  if (fault === undefined && read !== undefined) return read;
  throw new EmballageError('USAGE', {
    doing,
    where: printable(text),
    expected: 'an image, `HOST[:PORT]/NAME[:TAG][@DIGEST]`',
    found: fault ?? 'none',
    mend: 'write it like `harbour.example:5000/bases/python:3.11`',
  });
}

/** `HOST/NAME[:TAG][@DIGEST]`. */
export function formatReference({ host, name, tag, digest }: ImageReference): string {
  return `${host}/${name}${tag === undefined ? '' : `:${tag}`}${digest === undefined ? '' : `@${digest}`}`;
}

function split(text: string): ImageReference | undefined {
  const slash = text.indexOf('/');
  if (slash <= 0) return undefined;
  const [rest = '', digest] = text.slice(slash + 1).split(/@(.*)/s);
  const [, name = rest, tag] = /^([^:]*):(.*)$/s.exec(rest) ?? [];
  return {
    host: text.slice(0, slash),
    name,
    ...(tag !== undefined && { tag }),
    ...(digest !== undefined && { digest }),
  };
}
