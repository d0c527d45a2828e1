<!-- A camera's space from above and from the side; a drag turns it. -->
<script lang="ts">
  import type { SceneOut, Track } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { cardAt, eyeOf, rayOf, stoodAt, toldOf, along, viewOn, type Axes, type Xyz } from "../lib/scene"; // prettier-ignore
  import { ownSize } from "../lib/placement";

  type Props = { desk: Desk; track: Track; scene: SceneOut; axes: Axes; picks: number[] };
  let { desk, track, scene, axes, picks }: Props = $props();
  const MOST = 700; // points that are drawn
  const SIDE = 172;
  let turn = $state(0);
  let drag: { x: number; turn: number } | null = null;
  const plate = $derived(desk.shot.about.plate);
  const eyes = $derived(
    scene.views.flatMap((row, n) => {
      const view = row && viewOn(scene, n);
      return view ? [toldOf(axes, eyeOf(view))] : [];
    }),
  );
  const points = $derived(scene.points.map((one) => toldOf(axes, one as Xyz)));
  /** Middle and half width of what is shown: the cameras, and all points but the farthest tenth. */
  const about = $derived.by(() => {
    const all = [...points.slice(0, 2000), ...eyes];
    const middle = [0, 1, 2].map((k) => median(all.map((p) => p[k]))) as Xyz;
    const far = all.map((p) => Math.hypot(p[0] - middle[0], p[2] - middle[2])).sort((a, b) => a - b); // prettier-ignore
    const eyesFar = Math.max(0, ...eyes.map((p) => Math.hypot(p[0] - middle[0], p[2] - middle[2])));
    return { middle, half: Math.max(far[Math.floor(far.length * 0.8)] ?? 1, eyesFar * 1.1, 1e-6) };
  });
  const here = $derived(viewOn(scene, desk.playback.seen));
  const cone = $derived.by(() => {
    if (!here) return [];
    const eye = eyeOf(here);
    const size: [number, number] = [plate.width, plate.height];
    return [0, plate.width].map((x) => {
      const way = rayOf(here, scene.bend, size, [x, plate.height / 2]);
      return toldOf(axes, along(eye, way, (about.half * 0.5) / axes.space.size));
    });
  });
  const cards = $derived(
    desk.shot.doc.planes.flatMap((plane) => {
      if (plane.card?.track !== track.id || !here) return [];
      const [wide, high] = ownSize(plane, desk.shot.doc);
      const v = cardAt(plane, desk.at(desk.playback.seen));
      if (v.far) return [];
      const s = stoodAt(v, toldOf(axes, eyeOf(here)), high / wide);
      const foot = along(s.middle, s.up, -0.5);
      return [{ id: plane.id, line: [along(foot, s.across, -0.5), along(foot, s.across, 0.5), along(along(foot, s.across, 0.5), s.up, 1), along(along(foot, s.across, -0.5), s.up, 1)] }]; // prettier-ignore
    }),
  );

  function median(values: number[]): number {
    const sorted = [...values].sort((a, b) => a - b);
    return sorted[Math.floor(sorted.length / 2)] ?? 0;
  }

  /** Where a place is drawn, from above or from the side. */
  function at(place: Xyz, above: boolean): [number, number] {
    const [x, y, z] = place.map((n, k) => (n - about.middle[k]) / about.half) as Xyz;
    const a = (turn * Math.PI) / 180;
    const [u, w] = [x * Math.cos(a) - z * Math.sin(a), x * Math.sin(a) + z * Math.cos(a)];
    const down = above ? -w : -y;
    return [SIDE / 2 + u * SIDE * 0.44, SIDE / 2 + down * SIDE * 0.44];
  }
  const line = (places: Xyz[], above: boolean) =>
    places.length ? `M${places.map((p) => at(p, above).map((n) => n.toFixed(1)).join(" ")).join("L")}` : ""; // prettier-ignore
  const step = $derived(Math.max(1, Math.ceil(points.length / MOST)));
</script>

{#each [true, false] as above (above)}
  <svg
    class="block flex-none cursor-ew-resize touch-none border border-rule bg-sheet"
    width={SIDE}
    height={SIDE}
    role="img"
    aria-label={above ? "The space from above; a drag turns it" : "The space from the side"}
    onpointerdown={(e) => {
      drag = { x: e.clientX, turn };
      e.currentTarget.setPointerCapture(e.pointerId);
    }}
    onpointermove={(e) => drag && (turn = drag.turn + (e.clientX - drag.x))}
    onpointerup={() => (drag = null)}
  >
    {#if !above}
      <path
        d={line(
          [
            [about.middle[0] - 9 * about.half, 0, about.middle[2]],
            [about.middle[0] + 9 * about.half, 0, about.middle[2]],
          ],
          false,
        )}
        stroke="var(--quiet)"
        stroke-dasharray="4 3"
        fill="none"
      />
    {/if}
    {#each points as place, n (n)}
      {#if n % step === 0 || picks.includes(n)}
        {@const [x, y] = at(place, above)}
        {@const picked = picks.includes(n)}
        <circle cx={x} cy={y} r={picked ? 3 : 1} fill={picked ? "#cf3f2b" : "#5b6068"} />
      {/if}
    {/each}
    {#each cards as card (card.id)}
      <path d={`${line(card.line, above)}Z`} fill="rgb(185 133 36 / 0.25)" stroke="#b98524" />
    {/each}
    <path d={line(eyes, above)} stroke="#3f8fc4" stroke-width="1.8" fill="none" />
    {#if here && cone.length}
      {@const eye = toldOf(axes, eyeOf(here))}
      <path
        d={`${line([cone[0], eye, cone[1]], above)}`}
        stroke="#25262a"
        stroke-width="1.2"
        fill="none"
      />
      {@const [x, y] = at(eye, above)}
      <circle cx={x} cy={y} r="3.2" fill="#25262a" />
    {/if}
    <text x="5" y={SIDE - 5} font-size="10.5" fill="var(--quiet)"
      >{above ? "from above" : "from the side"}</text
    >
  </svg>
{/each}
