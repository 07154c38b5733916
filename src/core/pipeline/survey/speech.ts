/** Which of the functions that were found a destination can speak to, in which form. */
import { listed, printable } from '../../base/text';
import { OWN_CALLS, type Calls } from '../../events';
import { formOf, FORMS } from '../../forms';
import type { Language, SurveyedFunction, SurveyNote } from '../../languages';
import { callsOf, formsFor, speechTo, type Destination, type FormId } from '../../sheet';

export interface FoundFunction {
  readonly language: Language;
  readonly found: SurveyedFunction;
}

/** Where functions would run: a destination that is there, or one to be written, which calls as they need it. */
export interface Place {
  readonly destination?: Destination;
  readonly calls: Calls;
}

/** Programs that listen are called by HTTP; beside others, which read lines, they go as images. */
export function placeFor(all: readonly FoundFunction[], destination: Destination | undefined): Place {
  if (destination !== undefined) return { destination, calls: callsOf(destination) };
  const spoken = new Set(all.flatMap(({ found: { speech } }) => speech ?? []));
  if (!spoken.has('http')) return { calls: OWN_CALLS };
  return { calls: { ...OWN_CALLS, [spoken.has('lines') ? 'image' : 'native']: 'http' } };
}

/** Whether its functions run by themselves: what is compiled is the same to destinations. */
export function isProgram({ runtime }: Language): boolean {
  return runtime.offeredAs !== undefined;
}

/** Forms that the place takes and in which it speaks as the function understands; the usual one first. */
export function formsThere({ language, found }: FoundFunction, { destination, calls }: Place): FormId[] {
  const forms = formsFor(language.sheet, { forms: FORMS });
  const understood = forms.filter(
    (form) => found.speech === undefined || speechTo(formOf(form), isProgram(language), calls) === found.speech,
  );
  const taken = understood.filter((form) => destination === undefined || destination.accepts[form] !== undefined);
  return taken.length > 0 ? taken : understood;
}

/** Without those that the place has no form for, which are told. */
export function understoodBy(
  place: Place,
  all: readonly FoundFunction[],
  onNote: (note: SurveyNote) => void,
): FoundFunction[] {
  return all.filter((one) => {
    if (formsThere(one, place).length > 0) return true;
    const { file, speech, entries } = one.found;
    const name = printable(place.destination?.name ?? '');
    const keys = listed(
      (['native', 'image'] as const).map((key) => `\`calls: { ${key}: ${speech ?? ''} }\``),
      'or',
    );
    onNote({ where: file, text: `${entries[0].why}, and ${name} speaks otherwise: ${keys} in it would change that` });
    return false;
  });
}
