/** What is a Node.js function's own: in the sheet, in the lock, in the waybill. */

export const SOURCEMAPS = ['inline', 'beside', 'none'] as const;

export type Sourcemap = (typeof SOURCEMAPS)[number];

export interface NodeKeys {
  /** One file, as small as it can be, and where its source map goes. */
  readonly link: boolean;
  readonly minify: boolean;
  readonly sourcemap: Sourcemap;
}

export interface LockedNodePackage {
  /** Where it lies in the artifact, `node_modules/a`. */
  readonly at: string;
  /** It has a script that wants to run when it is installed, which never happens here. */
  readonly script?: true | undefined;
  /** The versions of Node.js that it is for. */
  readonly engines?: string | undefined;
}

/** A package that lies in the project itself. */
export interface LockedWorkspace {
  /** Where it lies in the artifact. */
  readonly at: string;
  /** Its folder, relative to the project. */
  readonly folder: string;
}

export interface LockedNode {
  readonly workspaces: readonly LockedWorkspace[];
}

export type CarriedNodePackage = LockedNodePackage;
