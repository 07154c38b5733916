/** What the responses of web applications say of themselves (RFC 9110, section 15). */
import type { CallReport } from './host';

/** The status of a response; undefined for an answer that is none. */
export function statusOf(json: string): number | undefined {
  const answer = JSON.parse(json) as unknown;
  const { status } = (typeof answer === 'object' && answer !== null ? answer : {}) as { readonly status?: unknown };
  return typeof status === 'number' ? status : undefined;
}

/** A call of a web application: a status of 500 and more is its own failure. */
export function judgeResponse(report: CallReport): CallReport {
  const { answer } = report;
  if (answer.kind !== 'answered') return report;
  const status = statusOf(answer.json);
  if (status === undefined || status < 500) return report;
  return { ...report, answer: { kind: 'failed', failure: { kind: 'status', status, json: answer.json } } };
}
