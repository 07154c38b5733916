/** What can be wrong with one entry of an archive that somebody else made. Each kind is refused under its own name. */
import { EmballageError, type ErrorFacts } from '../../base/errors';
import { printable } from '../../base/text';

/** How a fault reads after the entry's name, and how to mend it. */
const FAULTS = {
  'unsafe-path': { says: 'has an unsafe path', mend: 'pack it under a plain relative path' },
  'link-out': { says: 'is a link that leaves the archive', mend: 'pack the file that it points to' },
  'through-link': { says: 'lies behind a link or a file', mend: 'pack it under a path of real folders' },
  'duplicate-name': { says: 'stands in the archive twice', mend: 'keep one of the two' },
  'bad-name': { says: 'has a name that is not UTF-8', mend: 'give it a name in UTF-8' },
  'special-file': { says: 'is neither file, folder nor link', mend: 'leave devices, sockets and pipes out' },
  method: { says: 'uses an unsupported compression method', mend: 'pack it stored or deflated' },
  encrypted: { says: 'is encrypted', mend: 'pack it without encryption' },
  overlap: { says: 'shares bytes with another entry', mend: 'make the archive anew' },
  'header-mismatch': {
    says: 'says one thing in its local header and another in the directory',
    mend: 'make the archive anew',
  },
  checksum: { says: 'does not match its checksum', mend: 'make the archive anew' },
  data: { says: 'holds damaged data', mend: 'make the archive anew' },
  bomb: { says: 'unpacks to more than is believable', mend: 'check where the archive comes from' },
} as const satisfies Record<string, { says: string; mend: string }>;

export type ZipFaultCode = keyof typeof FAULTS;

export interface ZipFault {
  readonly code: ZipFaultCode;
  /** The entry's name as it stands in the archive; escape it before printing. */
  readonly entry: string;
  /** What exactly was found. */
  readonly detail: string;
}

/** The fault as one sentence without its full stop. */
export function describeFault(fault: ZipFault): string {
  return `${printable(fault.entry)} ${FAULTS[fault.code].says}: ${fault.detail}`;
}

/** What to do about a fault. */
export function mendFault(fault: ZipFault): string {
  return FAULTS[fault.code].mend;
}

/** A refused entry, with the fault as data. */
export class ZipFaultError extends EmballageError {
  readonly fault: ZipFault;

  constructor(fault: ZipFault, doing: string) {
    super('ZIP_ENTRY_REFUSED', factsOf(fault, doing));
    this.fault = fault;
  }
}

function factsOf(fault: ZipFault, doing: string): ErrorFacts {
  return {
    doing,
    where: printable(fault.entry),
    found: `${fault.code}: the entry ${FAULTS[fault.code].says}: ${fault.detail}`,
    mend: FAULTS[fault.code].mend,
  };
}
