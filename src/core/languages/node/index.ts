/** Functions in JavaScript, run by Node.js. */
export { type MemberVerdict, type ReadText, findMember } from './entry';
