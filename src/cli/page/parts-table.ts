/** The table beneath the picture: every part, to be sorted and filtered. */
import type { PageReport } from '../../core/base/weights-page';
import { element } from './dom';
import type { Tree } from './tree';
import { countText, sizeText } from './words';

const FIRST_ROWS = 50;
const MORE_ROWS = 500;

interface Column {
  readonly title: string;
  readonly isNumber: boolean;
  readonly of: (node: number) => string | number;
}

export class PartsTable {
  readonly #tree: Tree;
  readonly #columns: readonly Column[];
  readonly #parts: readonly number[];
  readonly #body = element('tbody');
  readonly #foot = element('p', { class: 'more' });
  readonly #headers: HTMLTableCellElement[] = [];
  #filter = '';
  #sorted: { column: number; isDown: boolean };
  #shown = FIRST_ROWS;

  constructor(tree: Tree) {
    this.#tree = tree;
    this.#columns = columnsOf(tree, tree.report);
    this.#parts = tree.names.map((_, node) => node).filter((node) => tree.isPart(node));
    this.#sorted = { column: this.#columns.length - 2, isDown: true };
  }

  element(): HTMLElement {
    const filter = element('input', {
      type: 'search',
      id: 'filter',
      'aria-label': 'filter the table',
      placeholder: 'path or package',
    });
    filter.addEventListener('input', () => {
      this.#filter = filter.value.toLowerCase();
      this.#shown = FIRST_ROWS;
      this.#fill();
    });
    const headers = this.#columns.map(({ title, isNumber }, i) => {
      const button = element('button', { type: 'button' }, title);
      button.addEventListener('click', () => this.#sort(i));
      const cell = element('th', { scope: 'col', class: isNumber ? 'number' : '' }, button);
      this.#headers.push(cell);
      return cell;
    });
    const table = element('table', { id: 'parts' }, element('thead', {}, element('tr', {}, ...headers)), this.#body);
    this.#fill();
    return element(
      'div',
      {},
      element('p', { class: 'tools' }, filter),
      element('div', { class: 'wide' }, table),
      this.#foot,
    );
  }

  #sort(column: number): void {
    const { column: before, isDown } = this.#sorted;
    this.#sorted = { column, isDown: before === column ? !isDown : (this.#columns[column]?.isNumber ?? false) };
    this.#fill();
  }

  #fill(): void {
    const { column, isDown } = this.#sorted;
    for (const [i, cell] of this.#headers.entries())
      cell.setAttribute('aria-sort', i !== column ? 'none' : isDown ? 'descending' : 'ascending');
    const wanted = this.#parts.filter((node) => this.#isWanted(node));
    const of = this.#columns[column]?.of ?? String;
    const sign = isDown ? -1 : 1;
    const sorted = wanted
      .map((node) => ({ node, value: of(node) }))
      .sort((a, b) => (a.value < b.value ? -sign : a.value > b.value ? sign : a.node - b.node));
    this.#body.replaceChildren(...sorted.slice(0, this.#shown).map(({ node }) => this.#row(node)));
    this.#foot.replaceChildren(...this.#footer(sorted.length));
  }

  #isWanted(node: number): boolean {
    if (this.#filter === '') return true;
    const { nodes, owners } = this.#tree.report;
    const owner = owners[nodes.owner[node] ?? -1] ?? '';
    return `${this.#tree.names[node] ?? ''}\n${owner}`.toLowerCase().includes(this.#filter);
  }

  #row(node: number): HTMLTableRowElement {
    const cells = this.#columns.map(({ of, isNumber }) => {
      const value = of(node);
      return element('td', { class: isNumber ? 'number' : '' }, isNumber ? sizeText(Number(value)) : String(value));
    });
    return element('tr', {}, ...cells);
  }

  #footer(found: number): (Node | string)[] {
    const all = countText(this.#parts.length, 'part');
    const text = found === this.#parts.length ? all : `${String(found)} of ${all}`;
    if (found <= this.#shown) return [text];
    const more = element('button', { type: 'button' }, 'show more');
    more.addEventListener('click', () => {
      this.#shown += MORE_ROWS;
      this.#fill();
    });
    return [`the first ${String(this.#shown)} of ${text} `, more];
  }
}

function columnsOf(tree: Tree, { nodes, owners, kinds, layers }: PageReport): Column[] {
  const text = (title: string, of: (node: number) => string): Column => ({ title, isNumber: false, of });
  return [
    text('part', (node) => tree.names[node] ?? ''),
    text('of', (node) => owners[nodes.owner[node] ?? -1] ?? ''),
    text('kind', (node) => kinds[nodes.kind[node] ?? -1] ?? ''),
    ...(layers.length > 1 ? [text('layer', (node) => layers[nodes.layer[node] ?? -1] ?? '')] : []),
    { title: 'unpacked', isNumber: true, of: (node) => nodes.unpacked[node] ?? 0 },
    { title: 'packed', isNumber: true, of: (node) => nodes.packed[node] ?? 0 },
  ];
}
