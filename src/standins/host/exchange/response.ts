/** What the responses of web applications say of themselves (RFC 9110, section 15). */
import { ownAnswer, readResponse, valueAt, type Shape } from '../../../core/events';
import type { CallReport } from '../host';

/** The status of a response; undefined for an answer that is none. */
export function statusOf(json: string, { response }: Shape): number | undefined {
  const status = response.status === undefined ? undefined : valueAt(JSON.parse(json), response.status);
  return typeof status === 'number' ? status : undefined;
}

/** A call of a web application: a status of 500 and more is its own failure. */
export function judgeResponse(report: CallReport, shape: Shape): CallReport {
  const { answer } = report;
  if (answer.kind !== 'answered') return report;
  const status = statusOf(answer.json, shape);
  if (status === undefined || status < 500) return report;
  const json = JSON.stringify(ownAnswer(readResponse(shape, JSON.parse(answer.json))));
  return { ...report, answer: { kind: 'failed', failure: { kind: 'status', status, json } } };
}
