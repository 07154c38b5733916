/** In which order modules run, and which of them stand in a circle. */
import type { LinkModule } from './shake';

/** Live modules in the order in which loading the entry runs them; those loaded later come after. */
export function runningOrder(
  modules: ReadonlyMap<string, LinkModule>,
  isLive: (path: string) => boolean,
  entry: string,
): LinkModule[] {
  const order: LinkModule[] = [];
  const seen = new Set<string>();
  const visit = (first: string): void => {
    const open = [{ path: first, next: 0 }];
    seen.add(first);
    for (let top = open.at(-1); top !== undefined; top = open.at(-1)) {
      const module = modules.get(top.path);
      const target = module === undefined ? undefined : targetsOf(module)[top.next];
      top.next += 1;
      if (target === undefined) {
        if (module !== undefined && isLive(top.path)) order.push(module);
        open.pop();
      } else if (!seen.has(target)) {
        seen.add(target);
        open.push({ path: target, next: 0 });
      }
    }
  };
  visit(entry);
  for (const path of modules.keys()) if (!seen.has(path) && isLive(path)) visit(path);
  return order;
}

/** Modules that can reach themselves (Tarjan's strongly connected components, without recursion). */
export function circularModules(modules: ReadonlyMap<string, LinkModule>): Set<string> {
  const circular = new Set<string>();
  const state = new Map<string, { index: number; low: number; onStack: boolean }>();
  const stack: string[] = [];
  for (const start of modules.keys()) {
    if (state.has(start)) continue;
    const open = [enter(start, state, stack)];
    for (let top = open.at(-1); top !== undefined; top = open.at(-1)) {
      const target = top.targets(modules)[top.next];
      top.next += 1;
      if (target === undefined) {
        open.pop();
        leave(top.path, open.at(-1)?.path, { state, stack, circular });
        continue;
      }
      if (target === top.path) circular.add(target);
      const known = state.get(target);
      const own = state.get(top.path);
      if (known === undefined) open.push(enter(target, state, stack));
      else if (known.onStack && own !== undefined) own.low = Math.min(own.low, known.index);
    }
  }
  return circular;
}

interface Visit {
  readonly path: string;
  next: number;
  readonly targets: (modules: ReadonlyMap<string, LinkModule>) => readonly string[];
}

type State = Map<string, { index: number; low: number; onStack: boolean }>;

function enter(path: string, state: State, stack: string[]): Visit {
  state.set(path, { index: state.size, low: state.size, onStack: true });
  stack.push(path);
  let found: readonly string[] | undefined;
  return {
    path,
    next: 0,
    targets: (modules) => {
      const module = modules.get(path);
      return (found ??= module === undefined ? [] : targetsOf(module).filter((target) => modules.has(target)));
    },
  };
}

function leave(
  path: string,
  parent: string | undefined,
  { state, stack, circular }: { readonly state: State; readonly stack: string[]; readonly circular: Set<string> },
): void {
  const own = state.get(path);
  const above = parent === undefined ? undefined : state.get(parent);
  if (own === undefined) return;
  if (above !== undefined) above.low = Math.min(above.low, own.low);
  if (own.low !== own.index) return;
  const group = stack.splice(stack.lastIndexOf(path));
  for (const one of group) {
    const known = state.get(one);
    if (known !== undefined) known.onStack = false;
    if (group.length > 1) circular.add(one);
  }
}

function targetsOf(module: LinkModule): string[] {
  const targets: string[] = [];
  for (const link of module.links.values()) if (link.kind === 'module') targets.push(link.path);
  targets.push(...module.matches);
  return targets;
}
