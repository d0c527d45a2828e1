<!-- What is said of footage that was filmed at several paces, and the time map that shows it the other way. -->
<script lang="ts">
  import { api } from "../lib/api";
  import type { PacesOut, Plane } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import Button from "../ui/Button.svelte";

  type Props = { desk: Desk; paces: PacesOut; plane: Plane };
  let { desk, paces, plane }: Props = $props();
  const rates = $derived(
    paces.rates.length > 4
      ? `${Math.min(...paces.rates)} to ${Math.max(...paces.rates)}`
      : paces.rates.join(", "),
  );

  /** Asked anew, since the footage may be read otherwise by now. */
  async function lay() {
    const { speed, by_clock } = await api.paces(desk.shot.id, plane.id);
    if (!speed) return;
    const path = `${desk.shot.planePath(plane.id)}/time`;
    desk.shot.edit(
      [{ op: "replace", path, value: { ...plane.time, speed } }],
      by_clock ? "each picture once" : "as the clock went",
    );
  }
</script>

<p class="flex flex-wrap items-center gap-x-2 py-0.5 text-xs">
  <span class="text-quiet">filmed at {rates} fps</span>
  <Button
    title={paces.by_clock
      ? "Keys the speed: what was filmed faster goes slowly"
      : "Keys the speed: it goes as fast as it did before the camera"}
    onclick={() => void lay()}>{paces.by_clock ? "Each picture once" : "As the clock went"}</Button
  >
</p>
