/** What executables take: copied as they are, opened as the one file that they are. */
import { statSync } from 'node:fs';
import { baseOf } from '../../base/paths';
import { withFileSource } from '../../disk/file-source';
import type { Subject } from '../../findings/rule';
import { stretches, type ByteSource } from '../../formats/byte-source';
import { readNative } from '../../formats/native';
import type { FormWork, OpenRequest } from '../form';
import { makePacked } from '../packed';
import { nativeParts, UNKNOWN, type Knowing, type ReadParts } from '../weighing';
import { packBinary } from './pack';

export const binaryWork: FormWork = {
  // Everything compiled begins with its own signature.
  isOne: (path, shown) => withFileSource(path, shown, (source) => readNative(source) !== undefined),
  make: (request) => makePacked(request, (packing) => packBinary(packing)),
  withSubject: (request, use) =>
    withFileSource(request.path, request.shown, (source) => use(subjectOf(source, request))),
  weigh: ({ path, shown }, knowing) =>
    withFileSource(path, shown, (source) => weighProgram(source, baseOf(path), knowing)),
};

function subjectOf(source: ByteSource, { path, name, form }: OpenRequest): Subject {
  return {
    form,
    packedBytes: source.size,
    entries: [{ path: name, kind: 'file', mode: statSync(path).mode & 0o777, size: source.size }],
    faults: [],
    readText: () => undefined,
    readBytes: (wanted, maxBytes) =>
      wanted === name && source.size <= maxBytes ? source.read(0, source.size) : undefined,
    pieces: (wanted) => (wanted === name ? stretches(source.size, (at, length) => source.read(at, length)) : []),
  };
}

function weighProgram(source: ByteSource, name: string, { sourceOwner }: Knowing): ReadParts {
  const found = nativeParts(source, sourceOwner);
  const whole = { path: name, kind: 'native' as const, owner: UNKNOWN, unpacked: source.size, packed: source.size };
  return { size: source.size, files: 1, parts: found ?? [whole], packedIsShared: false };
}
