/** Events, and web requests in them. */
export { type CloudEvent, type NamedEvent, readEvent, toCloudEvent } from './event';
export { parseExact, writeExact } from './exact-json';
export { guessFailure } from './guess';
export { type EventFault, example, judgeEvent, type Taken } from './judge';
export { type EventRead, readsOf } from './reads';
export { EVENT_KINDS, type EventKind, madeUpEvent } from './made-up';
export { pointerParts, pointerText, putAt, valueAt } from './pointer';
export {
  missingParts,
  NoResponse,
  ownAnswer,
  readRequest,
  readResponse,
  valuesByName,
  type WebRequest,
  type WebResponse,
  writeRequest,
} from './requests';
export {
  type Calls,
  CONTEXT_WORDS,
  type ContextWord,
  HEADER_FORMS,
  OWN_CALLS,
  OWN_SHAPE,
  type Place,
  QUERY_FORMS,
  type RequestShape,
  type ResponseShape,
  type Shape,
  type Speech,
  SPEECHES,
} from './shape';
