/** What comes of calling a function. */

export type Failure =
  | {
      readonly kind: 'threw' | 'load-failed';
      readonly name: string;
      readonly message: string;
      readonly stack: string;
      /** The module that could not be found, where that is what went wrong. */
      readonly missing?: string;
    }
  | { readonly kind: 'no-member'; readonly found: string; readonly members: readonly string[] }
  | { readonly kind: 'hung'; readonly while: 'loading' | 'running'; readonly limitMs: number }
  | { readonly kind: 'exited'; readonly code: number }
  | { readonly kind: 'killed'; readonly signal: string }
  | { readonly kind: 'memory'; readonly limitBytes: number }
  | { readonly kind: 'not-json'; readonly fault: string }
  | { readonly kind: 'garbled'; readonly what: string }
  /** By HTTP: what it sends is no whole answer. */
  | { readonly kind: 'broken'; readonly what: string }
  /** It does not listen where it should; `instead`: ports where it does. */
  | { readonly kind: 'deaf'; readonly port: number; readonly limitMs: number; readonly instead: readonly number[] }
  /** It answered with a failure of its own; the response in our form, as JSON. */
  | { readonly kind: 'status'; readonly status: number; readonly json: string };

export type Answer =
  | { readonly kind: 'answered'; readonly json: string; readonly nothing: boolean }
  | { readonly kind: 'failed'; readonly failure: Failure };
