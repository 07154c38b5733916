/** The key `token` under `deliver`, which all ways have that go by HTTP to a host with logins of its own. */
import { pattern, SETTING_PATTERN } from '../../../sheet';

export const tokenField = pattern(SETTING_PATTERN, 'the name of an environment variable').optional().meta({
  description: '`put`, `host`: the environment variable with a bearer token. Otherwise the netrc file is asked.',
});

/** @param text `deliver` as it is written */
export function settleToken({ token }: Readonly<Record<string, unknown>>): { readonly tokenFrom?: string } {
  return typeof token === 'string' ? { tokenFrom: token } : {};
}
