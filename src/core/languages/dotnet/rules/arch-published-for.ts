import { printable } from '../../../base/text';
import { findings, type Rule } from '../../../findings/rule';
import { nearness, ridOf } from '../published/systems';
import { publishedIn, versionOf } from './shared';

export const archPublishedFor: Rule = {
  id: 'arch/published-for',
  level: 'stop',
  title: 'It was published for the target’s system',
  why: 'What is published for one system has that one’s native libraries, and none for others.',
  mend: 'Publish for the system of the target, or for all of them.',
  needs: ['runtime', 'arch'],
  check({ subject, facts, destination }) {
    const view = publishedIn(subject);
    const version = versionOf(facts);
    const rid = view?.deps?.rid ?? '';
    if (view === undefined || version === undefined || facts.arch === undefined || rid === '') return findings();
    const offered = destination.runtimes.find(({ name }) => name === facts.runtime?.offered);
    const libc = offered?.musl !== undefined && offered.glibc === undefined ? 'musl' : 'glibc';
    const system = { arch: facts.arch, libc, version: Number(version) } as const;
    if (nearness(rid, system) !== undefined) return findings();
    return findings({
      level: 'stop',
      where: printable(view.entry),
      expected: `what was published for \`${ridOf(system)}\`, or for all systems`,
      found: `\`${printable(rid)}\``,
      mend: `publish with \`-r ${ridOf(system)}\`, or without \`-r\`; one function has a source for each architecture then`,
    });
  },
};
