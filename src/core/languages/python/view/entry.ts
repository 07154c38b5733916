/** Whether a member that the host is told to call is there, and can be called with an event and a context. */
import type { PythonArtifact } from './artifact-view';
import type { Member } from '../trace/definitions';
import { absoluteName, packageOf } from '../trace/module-tree';

export type PythonVerdict =
  | { readonly kind: 'found'; readonly file: string; readonly member: Member }
  | { readonly kind: 'missing'; readonly members: readonly string[] }
  | { readonly kind: 'unseen'; readonly file: string; readonly why: string };

const MAX_STEPS = 50;

/** Looks for a member of a file, through modules that pass on what others define. */
export function findPythonMember(artifact: PythonArtifact, file: string, member: string): PythonVerdict {
  let at = file;
  let name = member;
  for (let step = 0; step < MAX_STEPS; step++) {
    const facts = at.endsWith('.py') ? artifact.facts(at) : undefined;
    if (facts === undefined) return { kind: 'unseen', file: at, why: 'it is compiled or cannot be read' };
    const found = Object.hasOwn(facts.members, name) ? facts.members[name] : undefined;
    if (found === undefined) {
      const star = facts.imports.find(({ names }) => names === '*');
      if (star !== undefined)
        return { kind: 'unseen', file: at, why: `everything of \`${star.module}\` is taken over` };
      if (Object.hasOwn(facts.members, '__getattr__'))
        return { kind: 'unseen', file: at, why: 'members are made by `__getattr__`' };
      return {
        kind: 'missing',
        members: Object.keys(facts.members)
          .filter((one) => !one.startsWith('_'))
          .sort(),
      };
    }
    if (found.kind !== 'import') return { kind: 'found', file: at, member: found };
    const module = absoluteName(packageOf(at), found.level, found.module) ?? '';
    const whole = found.name === '' ? module : `${module}.${found.name}`;
    const target = artifact.tree.fileOf(module);
    // A module that is passed on as a member, or one from elsewhere.
    if (found.name === '' || artifact.tree.has(whole))
      return { kind: 'found', file: at, member: { kind: 'constant', what: 'a module' } };
    if (target === undefined)
      return { kind: 'unseen', file: at, why: `it comes from \`${module}\`, which is not in the artifact` };
    [at, name] = [target, found.name];
  }
  return { kind: 'unseen', file: at, why: 'it is passed on in a circle' };
}
