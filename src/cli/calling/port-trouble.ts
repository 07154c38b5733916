import { EmballageError, systemCode } from '../../core/base/errors';

/** What to say when a server could not be started; any other error as it is. */
export function portTrouble(error: unknown, doing: string, port: number): unknown {
  const code = systemCode(error);
  if (code === undefined) return error;
  return new EmballageError(
    'HOST_FAILED',
    {
      doing,
      where: `port ${String(port)}`,
      expected: 'a port that is free',
      found: code === 'EADDRINUSE' ? 'one that another program has taken' : code,
      mend: 'end that program, or name another with --port',
    },
    error,
  );
}
