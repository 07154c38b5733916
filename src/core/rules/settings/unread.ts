import { findings, type Rule } from '../../findings/rule';

export const settingsUnread: Rule = {
  id: 'settings/unread',
  level: 'note',
  title: 'Every declared setting is read by the code',
  why: 'A setting that nothing reads is a name that was changed in one place only, or one that can go.',
  mend: 'Take it out of the sheet, or read it.',
  needs: ['settings', 'runtime'],
  asks: 'texts',
  check({ subject, destination, facts }) {
    const texts = subject.view?.texts?.() ?? [];
    const read = new Set((subject.view?.settings?.() ?? []).map(({ name }) => name));
    const unread = (facts.settings ?? []).filter(
      // A name that stands anywhere in the code may be read by way of a constant; one may also be meant for a package.
      ({ name }) =>
        !read.has(name) && !destination.settings.required.includes(name) && !texts.some((text) => text.includes(name)),
    );
    return findings(
      ...unread.map(({ name }) => ({
        level: 'note' as const,
        where: name,
        expected: 'code of the function that reads it',
        found: 'none',
        mend: 'take it out, unless a package reads it',
      })),
    );
  },
};
