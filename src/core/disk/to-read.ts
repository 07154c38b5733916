/** How files are opened that somebody else named. */
import { EmballageError } from '../base/errors';
import { printable } from '../base/text';
import { closeSync, constants, fstatSync, openSync, readFileSync } from 'node:fs';

/** Without waiting: a pipe that nobody writes to would be waited for without an end, before it can be seen that it is none. */
export const TO_READ = constants.O_RDONLY | constants.O_NONBLOCK;

/** All of a file. @throws the system’s error; EmballageError FILE_UNREADABLE for what is none */
export function readNow(path: string): Buffer {
  const fd = openSync(path, TO_READ);
  try {
    const stat = fstatSync(fd);
    if (!stat.isFile() && !stat.isDirectory()) throw noFile(path);
    return readFileSync(fd);
  } finally {
    closeSync(fd);
  }
}

/** The same as text. */
export function readTextNow(path: string): string {
  return readNow(path).toString('utf8');
}

function noFile(path: string): EmballageError {
  return new EmballageError('FILE_UNREADABLE', {
    doing: 'reading a file of the project',
    where: printable(path),
    expected: 'a file',
    found: 'a pipe, a socket or a device',
    mend: 'take it out of the project',
  });
}
