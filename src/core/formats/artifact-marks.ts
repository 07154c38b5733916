/** How our own artifacts and waybills are told from other files. */
import { ARTIFACT_MARK, END_RECORD } from './zip/layout';

export const ARTIFACT_ENDINGS = ['.zip'] as const;
export const WAYBILL_ENDING = '.waybill.json';
/** Every waybill begins so. */
export const WAYBILL_START = '{\n  "waybill": 1,\n';

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
