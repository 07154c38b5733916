/** `completion`: what a shell needs to complete commands, options, and the names of functions and destinations. */
import { EmballageError } from '../../core/base/errors';
import { printable } from '../../core/base/text';
import { EXIT, texts, type CommandModule } from './command';

const SHELLS = ['bash', 'zsh', 'fish'] as const;

export const command: CommandModule = {
  about:
    'Prints what a shell reads to complete commands, options, choices, and the names of functions, destinations and rules\n' +
    'of the project at hand. With `propose` it answers one question of such a shell: what may stand in the place of the\n' +
    'last of the words.',
  examples: [
    ['bash > ~/.local/share/bash-completion/completions/emballage', 'for bash, from the next shell on'],
    ['fish > ~/.config/fish/completions/emballage.fish', 'for fish'],
  ],
  options: {},
  async run(args, session, commands) {
    const [what, ...words] = texts(args, '_');
    if (what === 'propose') {
      const { propose } = await import('../completion/propose');
      const proposed = await propose(words, session, commands);
      process.stdout.write(proposed.map(({ word, about }) => `${word}\t${about}\n`).join(''));
      return EXIT.done;
    }
    const shell = SHELLS.find((one) => one === what);
    if (shell === undefined || words.length > 0)
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        expected: `a shell: ${SHELLS.join(', ')}`,
        found: what === undefined ? 'none' : `\`${printable([what, ...words].join(' '))}\``,
        mend: 'name the one that is to complete',
      });
    const { scriptFor } = await import('../completion/scripts');
    process.stdout.write(scriptFor(shell));
    return EXIT.done;
  },
};
