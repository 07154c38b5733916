/** Leaves out what is undefined, so that an optional field is either there with a value or not there at all. */

export type Present<T> = { [K in keyof T as undefined extends T[K] ? never : K]: T[K] } & {
  [K in keyof T as undefined extends T[K] ? K : never]?: Exclude<T[K], undefined>;
};

/** `{ a: 1, b: undefined }` gives `{ a: 1 }`. */
export function present<const T extends object>(fields: T): Present<T> {
  return Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined)) as Present<T>;
}
