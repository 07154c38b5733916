/** How a function is spoken to at its destination, and what the host sets for it. */
import type { Calls, Speech } from '../events';
import { callsOf } from './keys/adapter-key';
import type { Destination, FormFacts } from './model';

/** @param isProgram whether it runs by itself, without a runner of ours */
export function speechTo({ isLayered }: FormFacts, isProgram: boolean, { image, native }: Calls): Speech {
  if (isLayered === true) return image;
  return isProgram ? native : 'lines';
}

/** Patterns of settings that the host gives by itself: by HTTP, the port to listen on is among them. */
export function hostSettings(form: FormFacts, isProgram: boolean, destination: Destination): readonly string[] {
  const isHttp = speechTo(form, isProgram, callsOf(destination)) === 'http';
  return [...destination.settings.reserved, ...(isHttp ? ['PORT'] : [])];
}
