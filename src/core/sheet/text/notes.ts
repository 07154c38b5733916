/** Mistakes of a sheet as they are noted, and looking up what the sheet names on disk. */
import type { Problem } from '../../base/errors';
import { baseOf, folderOf, joinPath, settlePath } from '../../base/paths';
import { nearestWord, printable } from '../../base/text';
import type { ProjectFolder } from '../../disk/project-folder';
import type { YamlFile } from './yaml';

export class SheetNotes {
  readonly yaml: YamlFile;
  readonly project: ProjectFolder;
  readonly problems: Problem[];

  constructor(yaml: YamlFile, project: ProjectFolder) {
    this.yaml = yaml;
    this.project = project;
    this.problems = [...yaml.problems];
  }

  add(at: readonly string[], expected: string, found: string, mend: string, part: 'key' | 'value' = 'value'): void {
    const place = this.yaml.placeOf(at, part);
    // What stands in the defaults is looked at for every function, and told once.
    const isTold = this.problems.some(
      (one) => one.place.line === place.line && one.place.column === place.column && one.expected === expected,
    );
    if (!isTold) this.problems.push({ place, expected, found, mend });
  }

  /** A path of the sheet, settled; a problem where it leaves the project or nothing of that kind is there. */
  insidePath(at: readonly string[], written: string, kind: 'file' | 'folder'): string | undefined {
    const path = written.startsWith('/') || written.includes('\\') ? undefined : settlePath(written);
    if (path === undefined) {
      this.add(
        at,
        `a ${kind} inside the project folder`,
        `\`${printable(written)}\`, which leaves it`,
        'write a path relative to the sheet',
      );
      return undefined;
    }
    const found = this.project.kind(path);
    if (found === 'missing') {
      const near = nearestWord(baseOf(path), this.project.names(folderOf(path)));
      const mend =
        near === undefined
          ? `make the ${kind} or correct the path`
          : `did you mean \`${joinPath(folderOf(path), near)}\`?`;
      this.add(at, `a ${kind}`, `\`${printable(written)}\`, where nothing is`, mend);
    } else if (found !== kind) this.add(at, `a ${kind}`, `\`${printable(written)}\`, which is none`, `name a ${kind}`);
    else if (!this.project.isInside(path))
      this.add(
        at,
        `a ${kind} inside the project folder`,
        `\`${printable(written)}\`, a link that leaves it`,
        'copy what it points to into the project',
      );
    else return path;
    return undefined;
  }
}
