<script lang="ts">
  import type { CatalogueOut, DeclaredOut, Plane, Pull, Step } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import Adding from "../lib/Adding.svelte";
  import { settle } from "../lib/keys";
  import Card from "./Card.svelte";
  import Curves from "./Curves.svelte";
  import Fields from "./Fields.svelte";
  import PlaneCard from "./PlaneCard.svelte";
  import PullCard from "./PullCard.svelte";
  import ShapeCard from "./ShapeCard.svelte";
  import TraceCard from "./TraceCard.svelte";

  let { desk, catalogue }: { desk: Desk; catalogue: CatalogueOut } = $props();
  const shot = $derived(desk.shot);
  const matte = $derived(
    desk.selected?.kind === "matte" ? shot.matte(desk.selected.id) : undefined,
  );
  const plane = $derived(
    desk.selected?.kind === "plane" ? shot.plane(desk.selected.id) : undefined,
  );
  const pulls = $derived(
    catalogue.declared.filter(
      (d) => d.family === "pull" && (d.holds !== "marks" || !shot.trace(matte)),
    ),
  );
  const treatments = $derived(catalogue.declared.filter((d) => d.family === "treatment"));

  function entry(family: DeclaredOut["family"], kind: string): DeclaredOut {
    return shot.entry(family, kind);
  }

  function rename(name: string) {
    const path = matte ? shot.mattePath(matte.id) : shot.planePath(plane!.id);
    if (name.trim())
      shot.edit(
        [{ op: "replace", path: `${path}/name`, value: name.trim().slice(0, 120) }],
        "rename",
      );
  }

  function lacks(treatment: DeclaredOut): string {
    const gated = plane?.matte || plane?.gate;
    return treatment.needs_matte && !gated ? "needs a matte: give the plane a gate" : "";
  }

  function addStep(kind: string) {
    if (!plane) return;
    const value = { id: shot.freshId("s"), kind, on: true, params: {} };
    shot.edit(
      [{ op: "add", path: `${shot.planePath(plane.id)}/treatments/-`, value }],
      `add ${entry("treatment", kind).label}`,
    );
  }

  function stepPath(index: number): string {
    return `${shot.planePath(plane!.id)}/treatments/${index}`;
  }

  function shift(index: number, by: number) {
    const to = index + by;
    if (to < 0 || to >= plane!.treatments.length) return;
    shot.edit([{ op: "move", from: stepPath(index), path: stepPath(to) }], "move treatment");
  }

  function copy(step: Step, index: number) {
    shot.edit(
      [{ op: "add", path: stepPath(index + 1), value: { ...step, id: shot.freshId("s") } }],
      "copy treatment",
    );
  }

  /** What every plane of this kind has besides its own parameters. */
  function families(of: Plane): ("placement" | "time")[] {
    if (of.kind === "glaze") return [];
    return of.kind === "fill" && !of.params.footage ? ["placement"] : ["placement", "time"];
  }

  function pullPath(index: number): string {
    return `${shot.mattePath(matte!.id)}/pulls/${index}`;
  }

  function addPull(kind: string) {
    if (!matte) return;
    const marked = entry("pull", kind).holds === "marks";
    const value = {
      id: shot.freshId(marked ? "t" : "u"),
      kind,
      on: true,
      params: {},
      // another kind narrows what is there; one more of a kind is for what the first one left out
      join: matte.pulls.length && !matte.pulls.some((p) => p.kind === kind) ? "intersect" : "add",
      strength: 1,
      invert: false,
      region: null,
      beyond: false,
      marks: [],
      shapes: [],
    };
    // a trace that nothing was marked for would leave nothing to join with
    const blank = matte.pulls.length === 1 && shot.holds(matte.pulls[0]) === "marks";
    const unused =
      blank && !matte.pulls[0].marks.length && !shot.frames.get(matte.pulls[0].id)?.size;
    if (marked || unused) value.join = "add";
    const path = `${shot.mattePath(matte.id)}/pulls/${unused ? 0 : "-"}`;
    shot.edit(
      [{ op: unused ? "replace" : "add", path, value }],
      `add ${entry("pull", kind).label}`,
    );
    desk.choosePull(value.id);
    if (desk.mode === "result") desk.mode = "veil";
  }

  /** What a pull's card can do; a trace can't be copied, since its frames belong to it. */
  function deedsOf(pull: Pull, i: number) {
    const label = entry("pull", pull.kind).label;
    const path = pullPath(i);
    return {
      onturn: () =>
        shot.edit(
          [{ op: "replace", path: `${path}/on`, value: !pull.on }],
          `${pull.on ? "switch off" : "switch on"} ${label}`,
        ),
      onleft:
        i > 0
          ? () => shot.edit([{ op: "move", from: path, path: pullPath(i - 1) }], "move pull")
          : undefined,
      onright:
        i + 1 < matte!.pulls.length
          ? () => shot.edit([{ op: "move", from: path, path: pullPath(i + 1) }], "move pull")
          : undefined,
      oncopy:
        shot.holds(pull) === "marks"
          ? undefined
          : () => shot.edit([{ op: "add", path: pullPath(i + 1), value: twin(pull) }], "copy pull"),
      ontoo: i + 1 < matte!.pulls.length ? () => lookAfter(i + 1) : undefined,
      ondrag: () => (dragged = i),
      ondropped: () => dropped(i),
      onremove: () => shot.edit([{ op: "remove", path }], `remove ${label}`),
    };
  }

  /** A copy whose parts have ids of their own. */
  function twin(pull: Pull): Pull {
    const shapes = pull.shapes.map((shape) => ({ ...shape, id: shot.freshId("h") }));
    return { ...pull, id: shot.freshId("u"), shapes };
  }

  let dragged = $state<number | null>(null);

  function dropped(to: number) {
    if (dragged !== null && dragged !== to)
      shot.edit([{ op: "move", from: pullPath(dragged), path: pullPath(to) }], "move pull");
    dragged = null;
  }

  /** The views show the matte as the first pulls leave it; null for all of it. */
  function lookAfter(count: number | null) {
    desk.upTo = count;
    if (count && desk.mode === "result") desk.mode = "veil";
  }

  // another matte is looked at whole
  $effect(() => {
    void desk.matteId;
    desk.upTo = null;
  });

  const joins = { add: "plus", subtract: "minus", intersect: "and", difference: "differs" };
</script>

<section class="bench" aria-label="Bench">
  {#if matte || plane}
    <div class="title">
      <span class="dot" class:matte={!!matte}></span>
      <input
        class="name"
        aria-label="Name"
        value={(matte ?? plane)!.name}
        onchange={(e) => rename(e.currentTarget.value)}
        onkeydown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
      <span class="what" class:warns={!!matte && shot.outdated.includes(matte.id)}
        >{matte
          ? matte.settled
            ? shot.outdated.includes(matte.id)
              ? "settled frames are shown; the recipe has changed since"
              : "settled: stored frames are shown, nothing is computed"
            : "matte recipe, read left to right"
          : "plane and its treatments, read left to right"}</span
      >
      <button
        class="btn-bare"
        aria-pressed={desk.curves}
        title="Curves of what moves, in place of the cards (C)"
        onclick={() => (desk.curves = !desk.curves)}>{desk.curves ? "Cards" : "Curves"}</button
      >
      {#if matte && desk.upTo}
        <button class="btn" onclick={() => lookAfter(null)}
          >Views stop after pull {desk.upTo} of {matte.pulls.length}: show all</button
        >
      {/if}
      {#if matte}
        {#if matte.settled && shot.outdated.includes(matte.id)}
          <button class="btn" disabled={!!shot.settling} onclick={() => settle(desk, true)}
            >Settle again</button
          >
        {/if}
        <button
          class="btn-bare"
          title={matte.settled
            ? "Compute the matte from its recipe again (T)"
            : "Store all frames as they are, so that nothing computes them again (T)"}
          disabled={!!shot.settling}
          onclick={() => settle(desk)}>{matte.settled ? "Unsettle" : "Settle"}</button
        >
        <Adding what="Pull" items={pulls} add={(item) => addPull(item.kind)} />
      {/if}
      {#if plane}
        <Adding what="Treatment" items={treatments} {lacks} add={(item) => addStep(item.kind)} />
      {/if}
    </div>
    {#if desk.curves}<Curves {desk} {catalogue} />{/if}
    <div class="cards" class:hidden={desk.curves}>
      {#if matte}
        {#each matte.pulls as pull, i (pull.id)}
          {#if i > 0}<span class="join">{joins[pull.join]}</span>{/if}
          {#if shot.holds(pull) === "marks"}
            <TraceCard
              {desk}
              {matte}
              {pull}
              declared={entry("pull", pull.kind)}
              deeds={deedsOf(pull, i)}
            />
          {:else if shot.holds(pull) === "shapes"}
            <ShapeCard
              {desk}
              {matte}
              {pull}
              declared={entry("pull", pull.kind)}
              deeds={deedsOf(pull, i)}
            />
          {:else}
            <PullCard
              {desk}
              {matte}
              {pull}
              declared={entry("pull", pull.kind)}
              deeds={deedsOf(pull, i)}
            />
          {/if}
        {/each}
        <span class="join">then</span>
        <Card title="Edge" note="whole matte" fields={entry("edge", "edge").fields.length}>
          <Fields
            {desk}
            fields={entry("edge", "edge").fields}
            values={matte.edge}
            path={`${shot.mattePath(matte.id)}/edge`}
            about="Edge"
          />
        </Card>
      {:else if plane}
        <PlaneCard {desk} {plane} declared={entry("plane", plane.kind)} />
        {#each families(plane) as family (family)}
          {@const item = entry(family, family)}
          {@const path = `${shot.planePath(plane.id)}/${family}`}
          <Card
            title={item.label}
            note="of the plane"
            fields={item.fields.length}
            onarrive={(way) =>
              (desk.arriving = {
                places: [path],
                title: `${plane.name}, ${item.label.toLowerCase()}`,
                way,
              })}
          >
            <Fields {desk} fields={item.fields} values={plane[family]} {path} about={item.label} />
          </Card>
        {/each}
        {#each plane.treatments as step, i (step.id)}
          {@const item = entry("treatment", step.kind)}
          <span class="join">then</span>
          <Card
            title={item.label}
            fields={item.fields.length}
            on={step.on}
            onarrive={(way) =>
              (desk.arriving = { places: [`${stepPath(i)}/params`], title: item.label, way })}
            onturn={() =>
              shot.edit(
                [{ op: "replace", path: `${stepPath(i)}/on`, value: !step.on }],
                `${step.on ? "switch off" : "switch on"} ${item.label}`,
              )}
            onleft={i > 0 ? () => shift(i, -1) : undefined}
            onright={i + 1 < plane.treatments.length ? () => shift(i, 1) : undefined}
            oncopy={() => copy(step, i)}
            onremove={() =>
              shot.edit([{ op: "remove", path: stepPath(i) }], `remove ${item.label}`)}
          >
            <Fields
              {desk}
              fields={item.fields}
              values={step.params}
              path={`${stepPath(i)}/params`}
              about={item.label}
            />
          </Card>
        {:else}
          <p class="none">No treatment yet. “+ Treatment” changes this plane’s picture.</p>
        {/each}
      {/if}
    </div>
  {:else}
    <p class="none">Select a plane on the stand or a matte to see its recipe here.</p>
  {/if}
</section>

<style>
  .bench {
    display: grid;
    grid-template-rows: 31px minmax(0, 1fr);
    min-height: 0;
    min-width: 0;
    background: var(--paper);
  }
  .title {
    display: flex;
    align-items: center;
    gap: 8px;
    padding: 0 8px 0 12px;
    border-bottom: 1px solid var(--rule);
  }
  .dot {
    width: 9px;
    height: 9px;
    background: var(--quiet);
  }
  .dot.matte {
    border-radius: 50%;
    background: #b98524;
  }
  .name {
    border: 1px solid transparent;
    border-radius: 4px;
    background: none;
    font-weight: 600;
    font-size: 13.5px;
    width: auto;
    field-sizing: content;
    min-width: 90px;
    max-width: 260px;
    padding: 1px 4px;
  }
  .name:hover,
  .name:focus {
    border-color: var(--rule);
    background: var(--card);
  }
  .what {
    flex: 1;
    color: var(--quiet);
    font-size: 12px;
  }
  .what.warns {
    color: var(--redtext);
  }
  .cards {
    display: flex;
    align-items: stretch;
    overflow-x: auto;
    padding: 9px 12px;
    min-height: 0;
  }
  .hidden {
    display: none;
  }
  .join {
    flex: none;
    align-self: center;
    width: 34px;
    text-align: center;
    font-size: 11px;
    font-weight: 600;
    color: var(--quiet);
    background: linear-gradient(var(--rule) 0 0) center / 100% 1px no-repeat;
    text-shadow:
      0 0 3px var(--paper),
      0 0 3px var(--paper),
      0 0 3px var(--paper),
      0 0 3px var(--paper);
  }
  .none {
    align-self: center;
    margin: 0 16px;
    color: var(--quiet);
  }
</style>
