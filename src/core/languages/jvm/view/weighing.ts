/** What is known of files in JARs. */
import type { Weighing } from '../../weighing';

export const jvmWeighing: Weighing = {
  code: /\.(?:class|jar)$/i,
  about: /(?:^|\/)META-INF\/(?:MANIFEST\.MF|maven\/|licen[cs]e|notice|INDEX\.LIST)/i,
};
