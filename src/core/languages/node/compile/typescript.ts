/** TypeScript and JSX to JavaScript, a file at a time, by the TypeScript compiler. Types are not checked here. */
import type * as TypeScript from 'typescript';

/** What of a `tsconfig.json` changes the output, settled. Plain data, so that it can be sent between threads. */
export interface CompileOptions {
  /** Options of the compiler in its own words, without paths. */
  readonly compiler: Readonly<Record<string, string | number | boolean>>;
  /** The version of JavaScript to write, `ES2023`. */
  readonly target: string;
  readonly sourcemap: boolean;
}

export interface Compiled {
  readonly code: string;
  /** A source map, JSON; its only source is the file itself. */
  readonly map?: string;
  readonly fault?: { readonly line: number; readonly column: number; readonly message: string; readonly text: string };
}

/** What each version of Node.js understands; older ones than the first get what it gets. */
const TARGETS: readonly (readonly [major: number, target: string])[] = [
  [12, 'ES2019'],
  [14, 'ES2020'],
  [16, 'ES2022'],
  [20, 'ES2023'],
  [24, 'ES2024'],
];

/** The version of ECMAScript that a major version of Node.js runs whole. */
export function compileTarget(major: number): string {
  return TARGETS.findLast(([from]) => major >= from)?.[1] ?? 'ES2019';
}

/** The compiler is large: it is loaded when the first file needs it. */
export function loadTypeScript(): typeof TypeScript {
  // eslint-disable-next-line @typescript-eslint/no-require-imports
  return require('typescript') as typeof TypeScript;
}

/** @param path for what the ending says, and for messages */
export function compileFile(path: string, text: string, format: 'esm' | 'cjs', options: CompileOptions): Compiled {
  const ts = loadTypeScript();
  const target = ts.ScriptTarget[options.target as keyof typeof ts.ScriptTarget];
  const { outputText, sourceMapText, diagnostics } = ts.transpileModule(text, {
    fileName: path,
    reportDiagnostics: true,
    compilerOptions: {
      esModuleInterop: true,
      jsx: ts.JsxEmit.ReactJSX,
      ...options.compiler,
      target,
      module: format === 'esm' ? ts.ModuleKind.ESNext : ts.ModuleKind.CommonJS,
      // Each file is compiled by itself.
      isolatedModules: true,
      allowJs: true,
      removeComments: false,
      newLine: ts.NewLineKind.LineFeed,
      sourceMap: options.sourcemap,
      inlineSourceMap: false,
      declaration: false,
    },
  });
  const [first] = diagnostics ?? [];
  const code = outputText.replace(/\n\/\/# sourceMappingURL=\S*\s*$/, '\n');
  if (first !== undefined) return { code: '', fault: faultOf(ts, first, text) };
  return { code, ...(sourceMapText !== undefined && { map: sourceMapText }) };
}

function faultOf(
  ts: typeof TypeScript,
  diagnostic: TypeScript.Diagnostic,
  text: string,
): NonNullable<Compiled['fault']> {
  const message = ts.flattenDiagnosticMessageText(diagnostic.messageText, ' ').replace(/\.$/, '');
  const before = text.slice(0, diagnostic.start ?? 0).split('\n');
  const line = text.split('\n', before.length)[before.length - 1] ?? '';
  return { line: before.length, column: (before.at(-1)?.length ?? 0) + 1, message, text: line.trimEnd().slice(0, 160) };
}

/**
 * What a `tsconfig.json` says that matters for the output and for where modules are found.
 * @param path absolute path of the file
 * @throws Error with the compiler's own words, where it cannot be read
 */
export function readCompilerSettings(path: string): {
  readonly compiler: CompileOptions['compiler'];
  readonly isCommonJs: boolean;
  readonly paths: Readonly<Record<string, readonly string[]>>;
  /** Absolute path that `paths` and plain names start from; undefined where names are not looked for there. */
  readonly baseUrl: string | undefined;
  readonly pathsBase: string;
} {
  const ts = loadTypeScript();
  const read: { config?: unknown; error?: TypeScript.Diagnostic } = ts.readConfigFile(path, (file) =>
    ts.sys.readFile(file),
  );
  const { config, error } = read;
  if (error !== undefined) throw new Error(ts.flattenDiagnosticMessageText(error.messageText, ' '));
  const folder = path.replace(/\/[^/]*$/, '');
  // Which files it is about is not asked: that would read folders.
  const host = { ...ts.sys, readDirectory: () => [] };
  const { options } = ts.parseJsonConfigFileContent(
    { ...(config as object), files: [], include: [] },
    host,
    folder,
    undefined,
    path,
  );
  const compiler: Record<string, string | number | boolean> = {};
  for (const key of KEPT_OPTIONS) {
    const value = options[key];
    if (typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean') compiler[key] = value;
  }
  const commonJs = [ts.ModuleKind.CommonJS, ts.ModuleKind.Node16, ts.ModuleKind.Node18, ts.ModuleKind.NodeNext];
  return {
    compiler,
    isCommonJs: options.module !== undefined && commonJs.includes(options.module),
    paths: options.paths ?? {},
    baseUrl: options.baseUrl,
    pathsBase: typeof options.pathsBasePath === 'string' ? options.pathsBasePath : (options.baseUrl ?? folder),
  };
}

const KEPT_OPTIONS = [
  'experimentalDecorators',
  'emitDecoratorMetadata',
  'useDefineForClassFields',
  'verbatimModuleSyntax',
  'esModuleInterop',
  'allowSyntheticDefaultImports',
  'jsx',
  'jsxFactory',
  'jsxFragmentFactory',
  'jsxImportSource',
  'importHelpers',
  'alwaysStrict',
  'preserveConstEnums',
] as const;
