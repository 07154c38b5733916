/** An artifact seen as Python sees it: its modules, its distributions, and which files are the function's own. */
import { readRecord } from '../wheel/record';
import { parseMetadata, readHeaders, type CoreMetadata } from '../wheel/metadata';
import type { ModuleFacts } from '../trace/facts';
import { readModuleFacts } from '../trace/module-facts';
import { ModuleTree } from '../trace/module-tree';

export interface ArtifactFiles {
  readonly entries: readonly { readonly path: string; readonly kind: 'file' | 'link' | 'folder' }[];
  readonly readText: (path: string) => string | undefined;
  /** Facts from a memory, where the content is known to be in one. */
  readonly factsInMemory?: (path: string) => ModuleFacts | undefined;
}

export interface Distribution {
  readonly metadata: CoreMetadata;
  /** Tags of the wheel it came in. */
  readonly tags: readonly string[];
  /** `levels-2.0.dist-info`. */
  readonly folder: string;
}

export class PythonArtifact {
  readonly paths: readonly string[];
  readonly tree: ModuleTree;
  readonly distributions: readonly Distribution[];
  readonly #files: ArtifactFiles;
  readonly #facts = new Map<string, ModuleFacts | undefined>();
  readonly #packaged: ReadonlySet<string>;
  #vendored: ReadonlySet<string> | undefined;

  constructor(files: ArtifactFiles) {
    this.#files = files;
    this.paths = files.entries.filter(({ kind }) => kind !== 'folder').map(({ path }) => path);
    this.tree = new ModuleTree(this.paths);
    const folders = this.paths.flatMap((path) => /^([^/]+\.dist-info)\/METADATA$/.exec(path)?.[1] ?? []);
    this.distributions = folders.flatMap((folder) => this.#distribution(folder) ?? []);
    const records = folders.flatMap((folder) => readRecord(files.readText(`${folder}/RECORD`) ?? ''));
    this.#packaged = new Set(records.map(({ path }) => path));
  }

  /** Whether a file belongs to the function itself, and to no distribution. */
  isOwn(path: string): boolean {
    return !this.#packaged.has(path) && !/^[^/]+\.dist-info\//.test(path);
  }

  /** Paths of the function's own modules. */
  get ownModules(): string[] {
    return this.paths.filter((path) => path.endsWith('.py') && this.isOwn(path));
  }

  /** Names at the top of the folders in which packages carry others with them. */
  get vendored(): ReadonlySet<string> {
    return (this.#vendored ??= new Set(
      this.paths.flatMap((path) => /\/_?vendor(?:ed)?\/([A-Za-z_]\w*)(?:\.py$|\/)/.exec(path)?.[1] ?? []),
    ));
  }

  facts(path: string): ModuleFacts | undefined {
    if (!this.#facts.has(path)) {
      const known = this.#files.factsInMemory?.(path);
      const text = known === undefined ? this.#files.readText(path) : undefined;
      this.#facts.set(path, known ?? (text === undefined ? undefined : readModuleFacts(text)));
    }
    return this.#facts.get(path);
  }

  #distribution(folder: string): Distribution | undefined {
    const metadata = parseMetadata(this.#files.readText(`${folder}/METADATA`) ?? '');
    const tags = readHeaders(this.#files.readText(`${folder}/WHEEL`) ?? '').get('tag') ?? [];
    return metadata === undefined ? undefined : { metadata, tags, folder };
  }
}

const views = new WeakMap<ArtifactFiles, PythonArtifact>();

/** The view of an artifact, made once. */
export function pythonArtifact(files: ArtifactFiles): PythonArtifact {
  const view = views.get(files) ?? new PythonArtifact(files);
  views.set(files, view);
  return view;
}
