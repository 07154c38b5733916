/** The page of weights: one artifact at a time, its picture, and what stands around that. */
import type { PageData, PageReport } from '../../core/base/weights-page';
import { byId, element } from './dom';
import { PartsTable } from './parts-table';
import { Picture } from './picture';
import {
  dependenciesSection,
  findingsSection,
  growthSection,
  limitsSection,
  savingsSection,
  trimmedSection,
} from './sections';
import { arrangementsOf, Tree, type Arrangement, type Block, type Measure } from './tree';
import { countText, shareText, sizeText } from './words';

class Page {
  readonly #data: PageData;
  readonly #picture: Picture;
  #tree: Tree | undefined;
  #by: Arrangement = 'reasons';
  #measure: Measure = 'unpacked';

  constructor(data: PageData) {
    this.#data = data;
    this.#picture = new Picture(byId('picture', SVGSVGElement), {
      onPoint: (block, bytes) => this.#describe(block, bytes),
      onEnter: (trail, hasBack) => this.#entered(trail, hasBack),
    });
  }

  start(): void {
    const { reports, title, by } = this.#data;
    document.title = title;
    byId('made', HTMLElement).textContent = `made by ${by}`;
    const choose = byId('which', HTMLSelectElement);
    choose.append(
      ...reports.map(({ name, arch }, i) => element('option', { value: String(i) }, `${name} ${arch}`.trim())),
    );
    byId('which-label', HTMLElement).hidden = reports.length < 2;
    choose.addEventListener('change', () => this.#show(Number(choose.value)));
    byId('back', HTMLButtonElement).addEventListener('click', () => this.#picture.back());
    byId('search', HTMLInputElement).addEventListener('input', () => this.#search());
    window.addEventListener('resize', () => this.#picture.draw());
    document.addEventListener('keydown', (event) => {
      if (event.key === 'Escape') this.#picture.back();
    });
    this.#show(0);
  }

  #show(i: number): void {
    const report = this.#data.reports[i];
    if (report === undefined) return;
    this.#tree = new Tree(report);
    this.#by = 'reasons';
    this.#headline(report);
    this.#switches(report);
    byId('limits', HTMLElement).replaceChildren(...limitsSection(report));
    byId('table', HTMLElement).replaceChildren(element('h2', {}, 'Parts'), new PartsTable(this.#tree).element());
    byId('sections', HTMLElement).replaceChildren(
      ...growthSection(report),
      ...findingsSection(report),
      ...dependenciesSection(report),
      ...savingsSection(report),
      ...trimmedSection(report),
    );
    this.#arrange();
  }

  #headline({ name, arch, total, files, artifact, sha256, remark }: PageReport): void {
    byId('name', HTMLElement).textContent = `${name} ${arch}`.trim();
    const weight = `${sizeText(total.packed)} packed, ${sizeText(total.unpacked)} unpacked, ${countText(files, 'file')}`;
    byId('weight', HTMLElement).textContent = weight;
    byId('artifact', HTMLElement).textContent =
      sha256 === '' ? artifact : `${artifact}, SHA-256 ${sha256.slice(0, 12)}`;
    byId('remark', HTMLElement).textContent = remark;
  }

  #switches(report: PageReport): void {
    const radio = <T extends string>(
      group: string,
      values: readonly T[],
      chosen: T,
      choose: (value: T) => void,
    ): Node[] =>
      values.map((value) => {
        const input = element('input', { type: 'radio', name: group, value });
        input.checked = value === chosen;
        input.addEventListener('change', () => choose(value));
        return element('label', {}, input, element('span', {}, value));
      });
    byId('by', HTMLElement).replaceChildren(
      ...radio('by', arrangementsOf(report), this.#by, (by) => {
        this.#by = by;
        this.#arrange();
      }),
    );
    byId('measure', HTMLElement).replaceChildren(
      ...radio<Measure>('measure', ['unpacked', 'packed'], this.#measure, (measure) => {
        this.#measure = measure;
        this.#arrange();
      }),
    );
  }

  #arrange(): void {
    if (this.#tree === undefined) return;
    this.#picture.show(this.#tree.root(this.#by, this.#measure));
    this.#search();
  }

  #search(): void {
    const wanted = byId('search', HTMLInputElement).value.trim().toLowerCase();
    const tree = this.#tree;
    if (tree === undefined) return;
    const nameOf = ({ node, name }: Block): string => (node === undefined ? name : (tree.names[node] ?? name));
    const found = this.#picture.search(
      wanted === '' ? undefined : (block) => nameOf(block).toLowerCase().includes(wanted),
    );
    byId('found', HTMLElement).textContent = wanted === '' ? '' : countText(found, 'part matches', 'parts match');
  }

  #entered(trail: readonly Block[], hasBack: boolean): void {
    const steps = trail.map((block, i) => {
      const button = element('button', { type: 'button' }, block.name);
      if (i === trail.length - 1) button.setAttribute('aria-current', 'true');
      button.addEventListener('click', () => this.#picture.enter(block));
      return element('li', {}, button);
    });
    byId('trail', HTMLElement).replaceChildren(...steps);
    byId('back', HTMLButtonElement).disabled = !hasBack;
  }

  /** What is known of the block under the cursor, and the chain to it. */
  #describe(block: Block, bytes: number): void {
    const tree = this.#tree;
    if (tree === undefined) return;
    const whole = tree.report.total[this.#measure];
    const words = `${sizeText(bytes)} ${this.#measure}, ${shareText(bytes, whole)} of all`;
    const own = block.own > 0 && block.own < bytes ? [element('p', {}, `${sizeText(block.own)} of its own`)] : [];
    byId('about', HTMLElement).replaceChildren(
      element('h3', {}, block.node === undefined ? block.name : (tree.names[block.node] ?? block.name)),
      element('p', {}, words),
      ...own,
      ...(block.node === undefined ? [] : this.#chain(tree, block.node)),
    );
  }

  #chain(tree: Tree, node: number): HTMLElement[] {
    const { owners, nodes, kinds } = tree.report;
    const owner = owners[nodes.owner[node] ?? -1];
    const kind = kinds[nodes.kind[node] ?? -1];
    const of = [owner, kind].filter((one) => one !== undefined).join(', ');
    const chain = tree.chain(node);
    const steps = chain.map((at, i) => {
      const line = nodes.lines[String(chain[i + 1] ?? -1)];
      const asks = line === undefined ? [] : [element('span', { class: 'line' }, ` line ${String(line)}`)];
      return element('li', {}, tree.names[at] ?? '', ...asks);
    });
    return [
      ...(of === '' ? [] : [element('p', {}, of)]),
      element('h4', {}, 'why it is there'),
      element('ol', { class: 'chain' }, ...steps),
    ];
  }
}

const text = byId('data', HTMLScriptElement).textContent;
new Page(JSON.parse(text) as PageData).start();
