/** Sounds the horn when the keeper answers, who never does. Made to hang: see broken.yaml. */
export function sound(event) {
  console.log(`asking the keeper about ${event.data.station}`);
  return new Promise(() => {});
}
