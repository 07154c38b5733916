/** What a member reads of the event that it is called with. */
import { readsOf, type EventRead } from '../../../events';
import type { Subject } from '../../../findings/rule';
import type { Entry } from '../../../sheet';
import { findMember } from './entry';

/** A step from a value on: `.name`, `?.name`, `['name']`; no call. */
const STEP =
  /(?:\s*\??\.\s*(?<name>[A-Za-z_$][\w$]*)(?![\w$]*\s*\()|\[\s*(?:'(?<single>[^'\\\n]+)'|"(?<double>[^"\\\n]+)")\s*\])/y;

/** What the member reads of its event. */
export function eventReads({ readText }: Pick<Subject, 'readText'>, entry: Entry): readonly EventRead[] {
  const verdict = findMember(readText, entry.file, entry.member);
  if (verdict.kind !== 'found' || verdict.exported?.range === undefined) return [];
  const { range, parameters = [], apart = [] } = verdict.exported;
  const text = (readText(verdict.file ?? entry.file) ?? '').slice(range.start, range.end);
  const [name = ''] = parameters;
  return name === '' ? apart : [...apart, ...readsOf(text, name, STEP), ...takenLater(text, name)];
}

/** `const { level, data: { cm } } = event;`, one level deep. */
function takenLater(text: string, name: string): EventRead[] {
  const pattern = new RegExp(`\\{([^{}]*)\\}\\s*=\\s*${name.replaceAll('$', '\\$')}(?:\\.(\\w+))?\\s*[;,\\n]`, 'g');
  return [...text.matchAll(pattern)].flatMap(([, names = '', below]) =>
    names.split(',').flatMap((one) => {
      const [, key] = /^\s*([\w$]+)\s*(?::[^=]*)?$/.exec(one) ?? [];
      return key === undefined ? [] : [below === undefined ? [key] : [below, key]];
    }),
  );
}
