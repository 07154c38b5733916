/** The deflate encoder (RFC 1951) with pinned output. */
export {
  DEFLATE_ENCODER,
  DICTIONARY_BYTES,
  MOST_GROWTH,
  SEGMENT_BYTES,
  deflateForNow,
  deflateSegment,
  deflateWhole,
} from './deflate';
