/** Files in which frameworks list what they find in JARs: each by its documented format, so that several become one. */

export interface Registry {
  /** @returns undefined where two say different things of the same */
  merge(parts: readonly Buffer[]): Buffer | undefined;
  /** With names of classes that have moved. @param moved gives the name that a class has now, with dots */
  move(content: Buffer, moved: (name: string) => string): Buffer;
}

const CLASS_NAME = /[A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*)+/g;

function moveWords(content: Buffer, moved: (name: string) => string): Buffer {
  return Buffer.from(content.toString('utf8').replace(CLASS_NAME, (name) => moved(name)));
}

function textRegistry(merge: (texts: readonly string[]) => string | undefined): Registry {
  return {
    merge(parts) {
      const merged = merge(parts.map((part) => part.toString('utf8')));
      return merged === undefined ? undefined : Buffer.from(merged);
    },
    move: moveWords,
  };
}

/** A name a line, `#` before comments: each once, in the order of the class path. */
const LINES = textRegistry((texts) => `${[...new Set(texts.flatMap(linesOf))].join('\n')}\n`);

/** One after the other, as far as they are read: later values win, or all are read. */
const APPENDED = textRegistry((texts) => texts.map((text) => (text.endsWith('\n') ? text : `${text}\n`)).join(''));

/** `key=value` a line (java.util.Properties). */
const PAIRS = textRegistry((texts) => {
  const all = new Map<string, string>();
  for (const [key, value] of texts.flatMap(pairsOf)) {
    if ((all.get(key) ?? value) !== value) return undefined;
    all.set(key, value);
  }
  return [...all].map(([key, value]) => `${key}=${value}\n`).join('');
});

/** `key=a,b` a line: lists of the same key become one. */
const LISTS = textRegistry((texts) => {
  const all = new Map<string, Set<string>>();
  for (const [key, value] of texts.flatMap(pairsOf)) {
    const list = all.get(key) ?? new Set();
    for (const one of value.split(',').map((part) => part.trim())) if (one !== '') list.add(one);
    all.set(key, list);
  }
  return [...all].map(([key, list]) => `${key}=\\\n  ${[...list].join(',\\\n  ')}\n`).join('');
});

function linesOf(text: string): string[] {
  return text
    .split(/\r?\n/)
    .map((line) => line.trim())
    .filter((line) => line !== '' && !line.startsWith('#'));
}

/** Lines that end in `\` go on; `\:` and `\=` are plain; a key ends at the first sign that is not (java.util.Properties). */
function pairsOf(text: string): [string, string][] {
  const whole = text.replace(/\\\r?\n[ \t]*/g, '');
  return whole.split(/\r?\n/).flatMap((line): [string, string][] => {
    const [, key = '', value = ''] =
      /^\s*((?:\\.|[^\\\s:=#!])(?:\\.|[^\\\s:=])*)\s*[:=\s]\s*(.*?)\s*$/.exec(line) ?? [];
    return key === '' ? [] : [[key, value]];
  });
}

/** Plug-ins of Log4j 2: categories, and in each the plug-ins by key (its PluginCache). */
const LOG4J: Registry = {
  merge(parts) {
    const all = new Map<string, Map<string, LogPlugin>>();
    const read = parts.map(readLogPlugins);
    // One that cannot be read cannot be put together with another.
    if (read.includes(undefined)) return undefined;
    // The first that has a key keeps it.
    for (const [category, plugins] of read.flatMap((one) => [...(one ?? [])]))
      all.set(category, new Map([...plugins, ...(all.get(category) ?? [])]));
    return writeLogPlugins(all);
  },
  move(content, moved) {
    const all = readLogPlugins(content);
    if (all === undefined) return content;
    for (const plugins of all.values())
      for (const [key, plugin] of plugins) plugins.set(key, { ...plugin, className: moved(plugin.className) });
    return writeLogPlugins(all);
  },
};

interface LogPlugin {
  readonly className: string;
  readonly name: string;
  /** Whether it is printed, and whether its children wait: a byte each. */
  readonly flags: readonly [number, number];
}

/** Undefined for what is cut off, or something else. */
function readLogPlugins(bytes: Buffer): Map<string, Map<string, LogPlugin>> | undefined {
  try {
    return parseLogPlugins(bytes);
  } catch {
    return undefined;
  }
}

/** Numbers of four bytes, the highest first, and texts with their length in two bytes before them (java.io.DataOutput). */
function parseLogPlugins(bytes: Buffer): Map<string, Map<string, LogPlugin>> {
  let at = 0;
  const number = (): number => {
    at += 4;
    return bytes.readInt32BE(at - 4);
  };
  const text = (): string => {
    const length = bytes.readUInt16BE(at);
    at += 2 + length;
    if (at > bytes.length) throw new RangeError('a text that goes beyond the end');
    return bytes.toString('utf8', at - length, at);
  };
  const all = new Map<string, Map<string, LogPlugin>>();
  for (let left = number(); left > 0; left--) {
    const category = text();
    const plugins = all.get(category) ?? new Map<string, LogPlugin>();
    all.set(category, plugins);
    for (let more = number(); more > 0; more--) {
      const [key, className, name] = [text(), text(), text()];
      plugins.set(key, { className, name, flags: [bytes.readUInt8(at), bytes.readUInt8(at + 1)] });
      at += 2;
    }
  }
  return all;
}

function writeLogPlugins(all: ReadonlyMap<string, ReadonlyMap<string, LogPlugin>>): Buffer {
  const parts: Buffer[] = [];
  const number = (value: number): void => {
    const bytes = Buffer.alloc(4);
    bytes.writeInt32BE(value);
    parts.push(bytes);
  };
  const text = (value: string): void => {
    const length = Buffer.alloc(2);
    length.writeUInt16BE(Buffer.byteLength(value));
    parts.push(length, Buffer.from(value));
  };
  number(all.size);
  for (const [category, plugins] of all) {
    text(category);
    number(plugins.size);
    for (const [key, { className, name, flags }] of plugins) {
      for (const value of [key, className, name]) text(value);
      parts.push(Buffer.from(flags));
    }
  }
  return Buffer.concat(parts);
}

const KNOWN: readonly (readonly [pattern: RegExp, registry: Registry])[] = [
  [/^META-INF\/org\/apache\/logging\/log4j\/core\/config\/plugins\/Log4j2Plugins\.dat$/, LOG4J],
  [/^META-INF\/spring\.(?:handlers|schemas|tooling)$|^META-INF\/spring-autoconfigure-metadata\.properties$/, PAIRS],
  [/^META-INF\/(?:spring|aot)\.factories$|^META-INF\/spring\/aot\.factories$/, LISTS],
  [/^META-INF\/spring\/[\w.]+\.imports$|^META-INF\/spring\.components$/, LINES],
  [
    /^META-INF\/(?:mailcap|mime\.types|mailcap\.default|mimetypes\.default|javamail\.(?:providers|address\.map))$/,
    LINES,
  ],
  [/^META-INF\/cxf\/bus-extensions\.txt$|^META-INF\/[\w.]*extensions?\.idx$/, LINES],
  [/^reference\.conf$/, APPENDED],
];

/** Undefined for a file of another kind. */
export function registryOf(path: string): Registry | undefined {
  return KNOWN.find(([pattern]) => pattern.test(path))?.[1];
}
