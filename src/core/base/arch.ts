/** The processors that artifacts are made for. */
export const ARCHITECTURES = ['x86_64', 'arm64'] as const;
export type Arch = (typeof ARCHITECTURES)[number];
