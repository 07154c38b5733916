/** Where what belongs to an image lies beside its layouts. */
import { OUTPUT_FOLDER } from '../../fileset/selection';
import { artifactPath, type Target } from '../../project/targets';

/** Path of the layout of an image as one tar archive, relative to the project. */
export function archivePath(target: Target): string {
  return `${artifactPath(target)}.tar`;
}

/** Path of the folder with the images for all architectures, relative to the project. @param name of the function */
export function wholeLayoutPath(name: string): string {
  return `${OUTPUT_FOLDER}/${name}/${name}.oci`;
}
