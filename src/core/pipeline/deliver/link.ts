/** The address that installs what was sent, as a destination writes it. */
import type { Delivery } from './ledger';
import type { Payload } from './payload';

/** Every word is percent-encoded. Undefined where the destination has no link. */
export function linkOf(
  { destination, ending }: Pick<Payload, 'destination' | 'ending'>,
  delivery: Delivery,
  arch = Object.keys(delivery.locations)[0] ?? '',
): string | undefined {
  const words: Readonly<Record<string, string>> = {
    function: delivery.function,
    arch,
    ending,
    sha256: delivery.artifacts[arch]?.slice('sha256:'.length) ?? '',
    location: delivery.locations[arch] ?? '',
    version: delivery.version ?? '',
  };
  return destination.link?.replace(/\{(\w+)\}/g, (_, word: string) => encodeURIComponent(words[word] ?? ''));
}
