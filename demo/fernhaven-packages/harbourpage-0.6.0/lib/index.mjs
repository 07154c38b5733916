import commonJs from './index.cjs';

export const { Pages } = commonJs;

/** Text as it stands in a page. */
export function escaped(text) {
  return String(text).replace(/[&<>"]/g, (char) => `&#${char.charCodeAt(0)};`);
}
