/** Functions that a command failed at, while it went on with the others: told together at its end. */
import type { FunctionFailure } from '../../core/findings/failure';
import { EXIT, type ExitCode } from '../commands/command';
import type { Session } from './session';
import { errorDocument, errorText } from '../views/error';

export class Failures {
  readonly #all: FunctionFailure[] = [];

  readonly tell = (failure: FunctionFailure): void => {
    this.#all.push(failure);
  };

  /**
   * Where there was one function, and it failed, the command did.
   * @throws EmballageError
   */
  refuseAlone(functions: number): void {
    const [only] = this.#all;
    if (functions === 1 && only !== undefined) throw only.error;
  }

  /** For the document of a command. */
  get documents(): object[] {
    return this.#all.map(({ name, error }) => ({ name, ...errorDocument(error) }));
  }

  /** @param what the command did, as in "could not be built" */
  async show(session: Session, what: string): Promise<void> {
    if (this.#all.length === 0) return;
    const { count } = await import('../../core/base/text');
    for (const { name, error } of this.#all)
      session.complain(`\n${session.paint.bold(name)}: ${errorText(error, session.paint, session.verbose)}`);
    session.complain(`\n${count(this.#all.length, 'function')} ${what}`);
  }

  get exitCode(): ExitCode {
    if (this.#all.length === 0) return EXIT.done;
    return this.#all.some(({ error }) => error.kind === 'input') ? EXIT.wrongInput : EXIT.unavailable;
  }
}
