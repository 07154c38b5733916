/** Requests to who takes deliveries. */
export { bad, bodyDigest, digestField, Exchange, type ExchangeRequest, shownUrl, statedDigest } from './exchange';
