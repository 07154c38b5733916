/** Where something lies at a registry, as it is written: `HOST[:PORT]/NAMESPACE`. */
import { isHost, nameFault } from '../formats/oci';
import type { Registry } from './model';

/** Whether a text is `HOST[:PORT]` or `HOST[:PORT]/NAMESPACE`. */
export function isRegistry(value: string): boolean {
  const [host = '', ...namespace] = value.split('/');
  return isHost(host) && (namespace.length === 0 || nameFault(namespace.join('/')) === undefined);
}

/** @param text of which `isRegistry` holds */
export function settleRegistry(text: string, plainHttp: boolean): Registry {
  const [host = '', ...namespace] = text.split('/');
  return { host, namespace: namespace.join('/'), plainHttp };
}
