/** Asks servers of tests. */
import { get } from 'node:http';

/** A page, over a connection of its own: one that was kept may have been closed while a command ran. */
export function pageAt(url: string): Promise<string> {
  return new Promise((resolve, reject) => {
    const asked = get(url, { agent: false }, (answer) => {
      let text = '';
      answer.setEncoding('utf8').on('data', (part: string) => (text += part));
      answer.on('end', () => resolve(text)).on('error', reject);
    });
    asked.on('error', reject);
  });
}
