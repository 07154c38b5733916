/**
 * The main picture: from left to right, each column one step further from the entry, each block as high as the bytes in it.
 * Only blocks that are high enough to be seen are drawn, so that tens of thousands of files cost no more than hundreds.
 */
import { hierarchy, partition, type HierarchyRectangularNode } from 'd3-hierarchy';
import { drawn } from './dom';
import type { Block } from './tree';
import { countText, shareText, sizeText } from './words';

type Place = HierarchyRectangularNode<Block>;

export interface PictureEvents {
  /** A block is under the cursor, or has the focus of the keyboard. */
  readonly onPoint: (block: Block, bytes: number) => void;
  /** A block was entered, or left for the one around it. */
  readonly onEnter: (trail: readonly Block[], hasBack: boolean) => void;
}

/** Pixels: the least height of a block that is drawn by itself, of one that has a name, of several drawn as one. */
const LEAST_HEIGHT = 2;
const LEAST_NAMED = 13;
const HEIGHT_OF_MANY = 18;
/** And the least width of a column. */
const LEAST_WIDTH = 118;
const MOST_COLUMNS = 7;
const LETTER = 6.6;

/** A block as it stands in the picture; `many` are those beside each other that are too low to be seen one by one. */
type Shown = { readonly place: Place } | { readonly many: readonly Place[]; readonly around: Place };

/** What fills the picture: a block, or a stretch of what is in it. */
interface View {
  readonly place: Place;
  readonly from: number;
  readonly to: number;
}

interface Scale {
  readonly column: number;
  readonly columns: number;
  /** Pixels of the whole height. */
  readonly by: number;
}

export class Picture {
  readonly #svg: SVGSVGElement;
  readonly #events: PictureEvents;
  #root: Place | undefined;
  /** The last is shown; `back` leads to the one before it. */
  #views: View[] = [];
  #matches: ((block: Block) => boolean) | undefined;
  #matching = new Set<Block>();
  readonly #places = new Map<Block, Place>();
  readonly #drawn = new Map<SVGGElement, Shown>();

  constructor(svg: SVGSVGElement, events: PictureEvents) {
    this.#svg = svg;
    this.#events = events;
    svg.addEventListener('click', (event) => this.#at(event, (shown) => this.#enter(shown)));
    svg.addEventListener('mousemove', (event) => this.#at(event, (shown) => this.#point(shown)));
    svg.addEventListener('focusin', (event) => this.#at(event, (shown) => this.#point(shown)));
    svg.addEventListener('keydown', (event) => this.#key(event));
  }

  show(root: Block): void {
    const summed = hierarchy(root)
      .sum(({ own }) => own)
      .sort((a, b) => (b.value ?? 0) - (a.value ?? 0));
    this.#root = partition<Block>()(summed);
    this.#places.clear();
    this.#root.each((place) => void this.#places.set(place.data, place));
    this.#views = [wholeOf(this.#root)];
    this.search(this.#matches);
    this.#tellEntered();
  }

  /** Dims what neither matches nor holds what does; nothing where undefined. @returns how many blocks match */
  search(matches: ((block: Block) => boolean) | undefined): number {
    this.#matches = matches;
    this.#matching = new Set();
    let found = 0;
    if (matches !== undefined)
      this.#root?.each((place) => {
        if (place.data.kind < 0 || !matches(place.data)) return;
        found += 1;
        for (let at: Place | null = place; at !== null && !this.#matching.has(at.data); at = at.parent)
          this.#matching.add(at.data);
      });
    this.draw();
    return found;
  }

  /** Shows a block of the trail again. */
  enter(block: Block): void {
    const place = this.#places.get(block);
    if (place !== undefined) this.#go(wholeOf(place));
  }

  back(): void {
    if (this.#views.length < 2) return;
    this.#views.pop();
    this.draw();
    this.#tellEntered();
    this.#focusOn(this.#first());
  }

  draw(): void {
    const view = this.#views.at(-1);
    this.#drawn.clear();
    if (view === undefined) return;
    const { width, height } = this.#svg.getBoundingClientRect();
    const columns = Math.max(1, Math.min(MOST_COLUMNS, Math.floor(width / LEAST_WIDTH), view.place.height + 1));
    const scale = { column: width / columns, columns, by: height / Math.max(1e-15, view.to - view.from) };
    const blocks = [this.#block({ place: view.place }, view, scale)];
    const open = [view.place];
    for (const place of open) {
      if (place.depth - view.place.depth + 1 >= columns) continue;
      for (const shown of inside(place, view, scale.by)) {
        blocks.push(this.#block(shown, view, scale));
        if ('place' in shown) open.push(shown.place);
      }
    }
    this.#svg.setAttribute('viewBox', `0 0 ${String(width)} ${String(height)}`);
    this.#svg.replaceChildren(...blocks);
    blocks[0]?.setAttribute('tabindex', '0');
  }

  #block(shown: Shown, view: View, scale: Scale): SVGGElement {
    const { depth, from, to } = stretchOf(shown, view);
    const height = Math.max(1, (to - from) * scale.by - 1);
    const x = (depth - view.place.depth) * scale.column;
    const { name, kind, bytes } = describe(shown);
    const isEntered = 'place' in shown && shown.place === view.place;
    const block = drawn('g', {
      class: `block kind${String(kind)}${this.#isDimmed(shown) ? ' dimmed' : ''}${isEntered ? ' entered' : ''}`,
      transform: `translate(${x.toFixed(1)},${((from - view.from) * scale.by).toFixed(1)})`,
      role: 'treeitem',
      tabindex: '-1',
      'aria-level': String(depth + 1),
      'aria-label': `${name}, ${sizeText(bytes)}, ${shareText(bytes, this.#root?.value ?? 0)}`,
    });
    block.append(drawn('rect', { width: (scale.column - 1.5).toFixed(1), height: height.toFixed(1), rx: '1.5' }));
    if (height >= LEAST_NAMED) block.append(...texts(name, bytes, scale.column, height));
    this.#drawn.set(block, shown);
    return block;
  }

  #isDimmed(shown: Shown): boolean {
    if (this.#matches === undefined) return false;
    const places = 'many' in shown ? shown.many : [shown.place];
    return !places.some(({ data }) => this.#matching.has(data));
  }

  #at(event: Event, use: (shown: Shown) => void): void {
    const block = event.target instanceof Element ? event.target.closest('g.block') : null;
    const shown = block instanceof SVGGElement ? this.#drawn.get(block) : undefined;
    if (shown !== undefined) use(shown);
  }

  #point(shown: Shown): void {
    const { name, bytes } = describe(shown);
    const block = 'place' in shown ? shown.place.data : { name, children: [], own: 0, kind: -1 };
    this.#events.onPoint(block, bytes);
  }

  /** Into a block; the one that was entered leads back; what holds nothing is looked at within what holds it. */
  #enter(shown: Shown): void {
    if ('many' in shown) {
      this.#go({ place: shown.around, from: shown.many[0]?.x0 ?? 0, to: shown.many.at(-1)?.x1 ?? 0 });
      return;
    }
    const { place } = shown;
    const now = this.#views.at(-1);
    if (place === now?.place) this.back();
    else if (place.children !== undefined) this.#go(wholeOf(place));
    else if (place.parent !== null && place.parent !== now?.place) this.#go(wholeOf(place.parent));
  }

  #go(view: View): void {
    const known = this.#views.findIndex(
      (one) => one.place === view.place && one.from === view.from && one.to === view.to,
    );
    this.#views = known < 0 ? [...this.#views, view] : this.#views.slice(0, known + 1);
    this.draw();
    this.#tellEntered();
  }

  #tellEntered(): void {
    const view = this.#views.at(-1);
    if (view === undefined) return;
    const trail = view.place.ancestors().reverse();
    this.#events.onEnter(
      trail.map(({ data }) => data),
      this.#views.length > 1,
    );
    this.#point({ place: view.place });
  }

  /** As in a tree: right into it, left out of it, up and down beside it. */
  #key(event: KeyboardEvent): void {
    const block = document.activeElement;
    const shown = block instanceof SVGGElement ? this.#drawn.get(block) : undefined;
    if (shown === undefined) return;
    const around = 'many' in shown ? shown.around : shown.place.parent;
    const isEntered = 'place' in shown && shown.place === this.#views.at(-1)?.place;
    const beside = isEntered ? [] : [...this.#drawn.values()].filter((one) => aroundOf(one) === around);
    const at = beside.indexOf(shown);
    const moves: Readonly<Record<string, () => boolean>> = {
      ArrowRight: () => this.#focusOn('place' in shown ? this.#firstIn(shown.place) : undefined),
      ArrowLeft: () => this.#focusOn(isEntered ? undefined : this.#shownFor(around)),
      ArrowDown: () => this.#focusOn(beside[at + 1]),
      ArrowUp: () => this.#focusOn(beside[at - 1]),
      Enter: () => this.#enterByKey(shown),
      ' ': () => this.#enterByKey(shown),
    };
    if (moves[event.key]?.() === true) event.preventDefault();
  }

  #enterByKey(shown: Shown): boolean {
    this.#enter(shown);
    this.#focusOn(this.#first());
    return true;
  }

  #first(): Shown | undefined {
    return [...this.#drawn.values()][0];
  }

  #firstIn(place: Place): Shown | undefined {
    return [...this.#drawn.values()].find((one) => aroundOf(one) === place && one !== this.#first());
  }

  #shownFor(place: Place | null): Shown | undefined {
    return [...this.#drawn.values()].find((one) => 'place' in one && one.place === place);
  }

  #focusOn(shown: Shown | undefined): boolean {
    const [block] = [...this.#drawn].find(([, one]) => one === shown) ?? [];
    if (block === undefined) return false;
    for (const other of this.#drawn.keys()) other.setAttribute('tabindex', '-1');
    block.setAttribute('tabindex', '0');
    block.focus();
    return true;
  }
}

function wholeOf(place: Place): View {
  return { place, from: place.x0, to: place.x1 };
}

/** How far it is from the root, and from where to where it reaches in the view. */
function stretchOf(shown: Shown, view: View): { readonly depth: number; readonly from: number; readonly to: number } {
  const places = 'many' in shown ? shown.many : [shown.place];
  const [first, last] = [places[0], places.at(-1)];
  return {
    depth: first?.depth ?? 0,
    from: Math.max(view.from, first?.x0 ?? 0),
    to: Math.min(view.to, last?.x1 ?? 0),
  };
}

function aroundOf(shown: Shown): Place | null {
  return 'many' in shown ? shown.around : shown.place.parent;
}

/** What is drawn of the blocks in one. They are sorted by size, so those that are too low stand together at the end. */
function inside(around: Place, view: View, by: number): Shown[] {
  const seen = (around.children ?? []).filter(({ x0, x1 }) => x1 > view.from && x0 < view.to && x1 > x0);
  const shown: Shown[] = [];
  let many: Place[] = [];
  const close = (): void => {
    if (many.length === 1 && many[0] !== undefined) shown.push({ place: many[0] });
    else if (many.length > 1) shown.push({ many, around });
    many = [];
  };
  for (const place of seen) {
    if ((place.x1 - place.x0) * by >= LEAST_HEIGHT) {
      shown.push({ place });
      continue;
    }
    many.push(place);
    if ((place.x1 - (many[0]?.x0 ?? 0)) * by >= HEIGHT_OF_MANY) close();
  }
  close();
  return shown;
}

function describe(shown: Shown): { readonly name: string; readonly kind: number; readonly bytes: number } {
  if ('place' in shown)
    return { name: shown.place.data.name, kind: shown.place.data.kind, bytes: shown.place.value ?? 0 };
  const bytes = shown.many.reduce((sum, { value }) => sum + (value ?? 0), 0);
  const kinds = new Set(shown.many.map(({ data }) => data.kind));
  const [kind = -1] = kinds.size === 1 ? kinds : [];
  return { name: countText(shown.many.length, 'smaller', 'smaller'), kind, bytes };
}

function texts(label: string, bytes: number, column: number, height: number): SVGTextElement[] {
  const size = sizeText(bytes);
  const room = Math.floor((column - 14) / LETTER);
  const withSize = room - size.length - 1;
  const y = Math.min(height / 2 + 4, 16).toFixed(1);
  const name = drawn('text', { x: '5', y }, shortened(label, withSize >= 6 ? withSize : room));
  if (withSize < 6) return [name];
  return [name, drawn('text', { x: (column - 7).toFixed(1), y, class: 'size', 'text-anchor': 'end' }, size)];
}

/** The end of a path tells more than its beginning. */
function shortened(name: string, room: number): string {
  const letters = Array.from(name);
  return letters.length <= room ? name : `…${letters.slice(letters.length - Math.max(1, room - 1)).join('')}`;
}
