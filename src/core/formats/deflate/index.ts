/** The deflate encoder (RFC 1951) with pinned output. */
export { DEFLATE_ENCODER, DICTIONARY_BYTES, SEGMENT_BYTES, deflateSegment, deflateWhole } from './deflate';
