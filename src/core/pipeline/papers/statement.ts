/** What a statement of provenance is known by (in-toto Statement v1; SLSA Provenance v1). */
export const STATEMENT_TYPE = 'https://in-toto.io/Statement/v1';
export const PREDICATE_TYPE = 'https://slsa.dev/provenance/v1';
