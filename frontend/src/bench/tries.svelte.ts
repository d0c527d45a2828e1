/** Small pictures of what could be laid on, of the frame shown; asked for again when it or the work changes. */
import { api } from "../lib/api";
import type { AnyTarget, TryOut } from "../lib/api-types";
import type { Desk } from "../desk/desk.svelte";

/** To be called while a component is made. target: what is laid on; width: pixels; pause: ms of rest before asking. */
export function triesOf(desk: Desk, target: () => AnyTarget, width: number, pause: number) {
  let found = $state.raw<TryOut[]>([]);
  $effect(() => {
    void desk.shot.version;
    const [frame, wanted] = [desk.playback.frame, target()];
    if (desk.playback.playing) return;
    let late = false;
    const wait = setTimeout(() => {
      void api.tries(desk.shot.id, wanted, frame, width).then(
        ({ tries }) => !late && (found = tries),
        () => {},
      );
    }, pause);
    return () => {
      late = true;
      clearTimeout(wait);
    };
  });
  return {
    get list() {
      return found;
    },
  };
}
