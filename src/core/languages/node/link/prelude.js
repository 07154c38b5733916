// What the modules below run in: each is read when it is first asked for, ES modules and CommonJS as Node.js does it.
const records = new Map();
const rootUrl = new URL(place.up, place.url);

/** CommonJS: `names` is what ES modules see of it beside the default. */
function cjs(id, path, links, names, run) {
  records.set(id, { kind: 'cjs', id, path, links, names, run });
}

/**
 * An ES module: up to its first `yield` it declares, from there on it runs; `imports` run before it. `wait` is 1 where
 * later ones stand for `await`, 2 where it awaits by itself.
 */
function esm(id, path, imports, links, wait, run) {
  records.set(id, { kind: 'esm', id, path, imports, links, wait, run, space: Object.create(null) });
}

function urlOf(record) {
  return new URL(record.path.split('/').map(encodeURIComponent).join('/'), rootUrl).href;
}

function fileOf(record) {
  return place.toPath(urlOf(record));
}

/** A record, or what only Node.js itself can load: `node:fs`, or a file of the artifact, `/node_modules/a/a.js`. */
function find(record, specifier) {
  const id = record.links[specifier] ?? record.imports?.[specifier];
  if (id !== undefined) return records.get(id) ?? { kind: 'host', id };
  const inside = insideRoot(specifier);
  if (inside === undefined && !/^\.{1,2}(\/|$)/.test(specifier))
    return { kind: 'host', id: specifier.startsWith('/') ? ABSOLUTE + specifier : specifier };
  const path = inside ?? decodeURIComponent(new URL(specifier, 'file:///' + record.path).pathname).slice(1);
  for (const ending of ['', '.js', '.json', '.cjs', '.mjs', '/index.js', '/index.json', '/index.mjs'])
    if (records.has(path + ending)) return records.get(path + ending);
  // Not among the modules here: a file that stayed one, or nothing.
  return { kind: 'host', id: `/${path}` };
}

/** Stands before what begins with a slash on the disk, and not in the artifact. */
const ABSOLUTE = 'disk:';

/** The part of an absolute path, or of a `file:` URL, that lies in the artifact. */
function insideRoot(specifier) {
  const isUrl = specifier.startsWith('file:');
  if (!isUrl && !/^(?:\/|[A-Za-z]:[\\/])/.test(specifier)) return undefined;
  const [path, root] = [isUrl ? place.toPath(specifier) : specifier, place.toPath(rootUrl.href)];
  return path.startsWith(root) ? path.slice(root.length).replaceAll('\\', '/') : undefined;
}

const atHost = (id) =>
  id.startsWith(ABSOLUTE)
    ? id.slice(ABSOLUTE.length)
    : id.startsWith('/')
      ? place.toPath(new URL('.' + id, rootUrl).href)
      : id;

function requireFor(record) {
  const require = (specifier) => load(find(record, specifier), record);
  require.resolve = (specifier) => {
    const found = find(record, specifier);
    return found.kind === 'host' ? place.require.resolve(atHost(found.id)) : fileOf(found);
  };
  require.cache = place.require.cache;
  require.extensions = place.require.extensions;
  require.main = undefined;
  return require;
}

/** What `require` gives. */
function load(record, parent) {
  if (record.kind === 'host') return place.require(atHost(record.id));
  if (record.kind === 'esm') return loadEsm(record);
  if (record.module !== undefined) return record.module.exports;
  const filename = record.path === '' ? record.id : fileOf(record);
  const dirname = filename.slice(0, Math.max(1, filename.lastIndexOf(place.separator)));
  const module = { exports: {}, id: filename, filename, path: dirname, loaded: false, children: [], paths: [] };
  module.parent = parent?.module;
  module.require = requireFor(record);
  record.module = module;
  try {
    record.run.call(module.exports, module.exports, module.require, module, filename, dirname, handleFor(record));
  } catch (error) {
    record.module = undefined;
    throw error;
  }
  module.loaded = true;
  return module.exports;
}

/** `require` of an ES module. */
function loadEsm(record) {
  link(record);
  if (evaluate(record) !== undefined)
    throw Object.assign(new Error(`require() cannot be used on ${record.path}, which awaits at its top`), {
      code: 'ERR_REQUIRE_ASYNC_MODULE',
    });
  const { space } = record;
  if ('module.exports' in space) return space['module.exports'];
  if (!('default' in space) || '__esModule' in space) return space;
  record.facade ??= Object.defineProperty(
    withGetters(Object.keys(space), (name) => space[name]),
    '__esModule',
    {
      value: true,
      enumerable: true,
    },
  );
  return record.facade;
}

function withGetters(names, read, target = Object.create(null)) {
  for (const name of [...names].sort())
    Object.defineProperty(target, name, {
      get: () => read(name),
      enumerable: true,
      configurable: true,
    });
  return target;
}

function sealed(space) {
  return Object.preventExtensions(Object.defineProperty(space, Symbol.toStringTag, { value: 'Module' }));
}

/** What an ES module sees of what a specifier leads to. */
function spaceOf(record) {
  if (record.kind === 'esm') return record.space;
  if (record.kind === 'host') return hostSpace(record.id);
  record.space ??= sealed(withGetters(new Set(['default', ...record.names]), (name) => record.values[name]));
  return record.space;
}

const hostSpaces = new Map();

/** Modules of Node.js, and files that stay files: their ES modules were imported at the top. */
function hostSpace(id) {
  if (place.imported[id] !== undefined) return place.imported[id];
  if (!hostSpaces.has(id)) {
    const exported = place.require(atHost(id));
    const isObject = (typeof exported === 'object' && exported !== null) || typeof exported === 'function';
    const names = new Set(['default', ...(isObject ? Object.keys(exported) : [])]);
    hostSpaces.set(id, sealed(withGetters(names, (name) => (name === 'default' ? exported : exported[name]))));
  }
  return hostSpaces.get(id);
}

function handleFor(record) {
  return {
    meta: {
      dirname: record.path && fileOf(record).replace(/[\\/][^\\/]*$/, ''),
      filename: record.path && fileOf(record),
      resolve: (specifier) => {
        const found = find(record, specifier);
        return found.kind === 'host'
          ? place.resolve(found.id.startsWith('/') ? '.' + found.id : atHost(found.id))
          : urlOf(found);
      },
      url: record.path && urlOf(record),
    },
    get: (specifier) => spaceOf(find(record, specifier)),
    import: async (specifier) => {
      const found = find(
        record,
        record.links[`import ${specifier}`] === undefined ? String(specifier) : `import ${specifier}`,
      );
      if (found.kind === 'host')
        return place.import(found.id.startsWith('/') ? new URL('.' + found.id, rootUrl).href : atHost(found.id));
      link(found);
      await evaluate(found);
      return spaceOf(found);
    },
    exports: (getters) => withGetters(Object.keys(getters), (name) => getters[name](), record.space),
    all: (specifier) => {
      const from = spaceOf(find(record, specifier));
      const names = Object.keys(from).filter((name) => name !== 'default' && !(name in record.space));
      withGetters(names, (name) => from[name], record.space);
    },
  };
}

const depsOf = (record) => Object.keys(record.imports).map((specifier) => find(record, specifier));

/** Declares an ES module and all that it imports, before any of them runs. */
function link(record) {
  if (record.kind !== 'esm' || record.steps !== undefined) return;
  record.steps = record.run.call(undefined, handleFor(record));
  for (const found of depsOf(record)) link(found);
  const first = record.steps.next();
  if (record.wait === 2) first.catch(() => undefined);
  sealed(record.space);
}

/** Runs what a module imports, then itself; gives a promise only where something awaits. */
function evaluate(record) {
  if (record.kind === 'host') return void (place.imported[record.id] ?? hostSpace(record.id));
  if (record.kind === 'cjs') {
    const exported = load(record);
    if (record.values === undefined) {
      record.values = { default: exported };
      for (const name of record.names) if (name !== 'default') record.values[name] = exported?.[name];
    }
    return undefined;
  }
  if (record.failed !== undefined) throw record.failed.error;
  if (record.begun) return record.pending;
  record.begun = true;
  try {
    const waits = depsOf(record)
      .map(evaluate)
      .filter((one) => one !== undefined);
    if (waits.length === 0 && !record.wait) return void record.steps.next();
    const begin = () => awaited(record.steps.next(), record);
    record.pending = waits.length === 0 ? Promise.resolve(begin()) : Promise.all(waits).then(begin);
    record.pending.then(() => (record.pending = undefined)).catch((error) => (record.failed = { error }));
    return record.pending;
  } catch (error) {
    record.failed = { error };
    throw error;
  }
}

/** Goes on with a module whenever what it waits for is there. */
function awaited(step, { wait, steps }) {
  if (wait !== 1) return step;
  const go = ({ done, value }) =>
    done
      ? undefined
      : Promise.resolve(value).then(
          (v) => go(steps.next(v)),
          (e) => go(steps.throw(e)),
        );
  return go(step);
}

function start(id) {
  const record = records.get(id);
  link(record);
  const pending = evaluate(record);
  return pending === undefined ? spaceOf(record) : pending.then(() => spaceOf(record));
}
