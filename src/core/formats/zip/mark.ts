/** How an archive that we made is told from others: by the comment at its end. */
import { ARTIFACT_MARK, END_RECORD } from './layout';

/** Whether the last bytes of an archive are those of one that we made. */
export function endsAsArtifact(tail: Uint8Array): boolean {
  const mark = Buffer.from(ARTIFACT_MARK);
  const end = Buffer.from(tail.subarray(Math.max(0, tail.length - mark.length - END_RECORD.size)));
  return (
    end.length === mark.length + END_RECORD.size &&
    end.readUInt32LE(0) === 0x06054b50 &&
    end.subarray(END_RECORD.size).equals(mark)
  );
}
