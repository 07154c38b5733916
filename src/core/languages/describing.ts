/** What languages know of packages that others published: what they are called elsewhere, and what they say of themselves. */
import type { PackageText, StatedLicence } from '../findings/licences';
import type { LockedPackage } from '../project/lock/lockfile';

export interface Describing {
  /** What the open format for vulnerabilities calls where they come from (OSV Schema, `affected[].package.ecosystem`). */
  readonly ecosystem: string;
  /** The address of a package (Package URL specification), without its version's build. */
  readonly purl: (one: PackageName) => string;
  /** A name as the ecosystem compares it. */
  readonly plainName: (name: string) => string;
  /** The order of versions: negative where the first is the earlier. Versions that are none come first. */
  readonly compare: (a: string, b: string) => number;
  /** Whether a text is a version that has a place in that order. */
  readonly isVersion: (text: string) => boolean;
  /** What stands before all paths in a package's file. */
  readonly root?: RegExp;
  /** Whether a file of the lock is a package; all of them, where it does not say. */
  readonly isPackage?: (file: string) => boolean;
  /** Packages become part of an executable. */
  readonly isCompiledIn?: true;
  /** Files of a package that state its licence; those of licences themselves are always at hand. */
  readonly metadata?: RegExp;
  /** @param locked undefined where it was found in an artifact of which nothing is recorded */
  readonly licence: (texts: readonly PackageText[], locked: LockedPackage | undefined) => StatedLicence | undefined;
  /** Finds packages in artifacts of which nothing is recorded, by a file that each of them has, or that lists them. */
  readonly installed?: {
    readonly file: RegExp;
    /** @returns none for what is none */
    readonly read: (path: string, text: string) => readonly InstalledPackage[];
  };
}

export interface PackageName {
  readonly name: string;
  readonly version: string;
  /** What tells files of one version apart: the name of the file. */
  readonly file?: string;
}

export interface InstalledPackage extends PackageName {
  /** The folders of the artifact that are its own, each with a slash behind; what tells of it is in one of them. */
  readonly folders: readonly string[];
  /** Paths of its files, where they lie among others. */
  readonly files?: readonly string[];
}
