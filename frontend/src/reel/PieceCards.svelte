<!-- The cards of a piece: the piece itself, how it joins the one before, how it moves. -->
<script lang="ts">
  import type { DeclaredOut, FieldOut } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { asking } from "../lib/asking.svelte";
  import { alternated, moved, parted, wayInto, type Laid } from "../lib/reel";
  import Card from "../bench/Card.svelte";
  import Fields from "../bench/Fields.svelte";
  import Slot from "../bench/Slot.svelte";
  import { folding, openCards, opening, widthOf, type Slip } from "../bench/slips";
  import Button from "../ui/Button.svelte";
  import NumberField from "../ui/NumberField.svelte";
  import Segments from "../ui/Segments.svelte";
  import Select from "../ui/Select.svelte";
  import { shownFields } from "./fields";
  import { changedSays, fitsSays } from "./says";

  type Props = { desk: Desk; laid: Laid; room: { width: number; height: number } };
  let { desk, laid, room }: Props = $props();
  const shot = $derived(desk.shot);
  const reel = $derived(shot.reel!);
  const piece = $derived(laid.piece);
  const path = $derived(`/pieces/${laid.at}`);
  const there = $derived(desk.inside.shots[piece.shot]);
  const before = $derived(laid.at ? reel.pieces[laid.at - 1] : undefined);
  const name = $derived(desk.inside.name(piece.shot));

  const CARDS = ["fitting", "join", "move"] as const;
  type CardOf = (typeof CARDS)[number];
  const values = (of: CardOf) => (piece[of] ?? {}) as Record<string, unknown>;
  const entry = (of: CardOf): DeclaredOut => shot.entry(of, of);
  const fields = (of: CardOf) => shownFields(entry(of), values(of));
  const kindOf = (of: CardOf) => String(values(of).kind ?? entry(of).fields[0].default);
  const rest = (of: CardOf) => (of === "fitting" ? fields(of) : fields(of).slice(1));

  const slips = $derived<Slip[]>(
    CARDS.filter((of) => of !== "join" || laid.at > 0).map((of) => ({
      id: of,
      title:
        of === "join" && kindOf("join") !== "cut" ? `Join · ${kindOf("join")}` : entry(of).label,
      rows: rest(of).length + (of === "fitting" ? 3.4 : 0) + (rest(of).some(drawn) ? 6 : 0),
      above: of === "fitting" ? 0 : 1.5,
    })),
  );
  const drawn = (field: FieldOut) => field.control === "curve";
  const opened = $derived(desk.opened.get("piece") ?? ["move"]);
  const open = $derived(openCards(slips, opened, room));
  const chosen = $derived([...opened].reverse().find((id) => open.has(id)) ?? [...open][0] ?? "");
  $effect(() => desk.growBench(slips, chosen, room.width, false));

  function put(of: CardOf, field: string, value: unknown, label: string) {
    shot.edit([{ op: "add", path: `${path}/${of}/${field}`, value }], label);
  }

  function span(end: "first" | "last", value: number) {
    const frames = reel.footage.find((one) => one.id === piece.shot)?.frames ?? 1;
    const frame = Math.round(value) - (there?.first_number ?? 1001);
    const next =
      end === "first"
        ? Math.max(0, Math.min(piece.last, frame))
        : Math.max(piece.first, Math.min(frames - 1, frame));
    shot.edit([{ op: "replace", path: `${path}/${end}`, value: next }], `trim ${name}`);
  }

  /** What the shot is by now takes the place of what it was when it was laid in. */
  function takeOver() {
    const at = reel.footage.findIndex((one) => one.id === piece.shot);
    const last = there!.entry.frames - 1;
    const ops = reel.pieces.flatMap((one, n) =>
      one.shot === piece.shot && one.last > last
        ? [
            { op: "replace", path: `/pieces/${n}/last`, value: last },
            { op: "replace", path: `/pieces/${n}/first`, value: Math.min(one.first, last) },
          ]
        : [],
    );
    shot.edit(
      [{ op: "replace", path: `/footage/${at}`, value: there!.entry }, ...ops],
      "take over",
    );
  }

  function goInto() {
    const frame = Math.max(laid.begin, Math.min(laid.begin + laid.count - 1, desk.playback.frame));
    location.hash = wayInto(there!.id, laid, shot.id, frame);
  }

  /** The number of the name that the frame shown has among those of the reel, or -1. */
  const marked = $derived(reel.markers.findIndex((one) => one.frame === desk.playback.frame));

  async function mark() {
    const now = reel.markers[marked]?.name ?? "";
    const name = await asking.name("A name for this frame of the reel", now, "Name it");
    if (!name) return;
    const value = { frame: desk.playback.frame, name };
    const op =
      marked < 0
        ? { op: "add", path: "/markers/-" }
        : { op: "replace", path: `/markers/${marked}` };
    shot.edit([{ ...op, value }], "name a frame");
  }

  const unmark = {
    label: "Take the frame’s name away",
    run: () => shot.edit([{ op: "remove", path: `/markers/${marked}` }], "take a name away"),
  };

  const extras = $derived([
    {
      label: "Cut here",
      hint: "two pieces, the second from the frame that is shown",
      run: () => {
        const ops = parted(laid, desk.playback.frame, shot.freshId("p"));
        if (ops.length) shot.edit(ops, `cut ${name}`);
      },
    },
    {
      label: "Name this frame …",
      hint: "a marker, which timeline files keep",
      run: () => void mark(),
    },
    ...(marked >= 0 ? [unmark] : []),
  ]);

  function copy() {
    const id = shot.freshId("p");
    shot.edit(
      [{ op: "add", path: `/pieces/${laid.at + 1}`, value: { ...piece, id } }],
      `copy ${name}`,
    );
    desk.selection.thing = { kind: "piece", id };
  }

  function remove() {
    const next = reel.pieces[laid.at + 1] ?? before;
    shot.edit([{ op: "remove", path }], `take ${name} out`);
    desk.selection.thing = next ? { kind: "piece", id: next.id } : null;
  }

  function shift(by: -1 | 1) {
    shot.edit(moved(laid.at, by < 0 ? laid.at - 1 : laid.at + 2), `move ${name}`);
  }

  function toAll(of: "move" | "join") {
    const ops = reel.pieces.map((_, n) => ({
      op: "replace",
      path: `/pieces/${n}/${of}`,
      value: values(of),
    }));
    shot.edit(ops, `the same ${of} for all`);
  }

  /** What an inner field may name: mattes or tracks of the shot that is meant. */
  function inner(field: FieldOut) {
    const entry =
      field.of === "matte" && values("join").of === "the one before" ? before?.shot : piece.shot;
    const of = entry ? desk.inside.shots[entry] : undefined;
    const known = field.of === "track" ? of?.tracks : of?.mattes;
    return [
      { value: "", label: known?.length ? "none" : `it has no ${field.of}` },
      ...(known ?? []).map((one) => ({ value: one.id, label: one.name })),
    ];
  }
</script>

{#each slips as slip (slip.id)}
  {@const of = slip.id as CardOf}
  {#snippet kinds()}
    <div class="flex flex-wrap items-center gap-2 pb-1">
      <Segments
        name={`${entry(of).label}: kind`}
        class="flex-none"
        value={kindOf(of)}
        options={entry(of).fields[0].options.map((value) => ({ value, label: ` ${value} ` }))}
        onpick={(kind) => put(of, "kind", kind, of === "move" ? kind : `join: ${kind}`)}
      />
      <span class="flex-1"></span>
      {#if of === "move" && (kindOf(of) === "push in" || kindOf(of) === "pull out")}
        <Button
          title="Push in, pull out, push in … on all pieces, each else like this one"
          onclick={() => shot.edit(alternated(reel, values(of)), "alternate all")}
          >Alternate all</Button
        >
      {/if}
      {#if reel.pieces.length > 1}
        <Button
          title="All pieces have it like this one"
          onclick={() => toAll(of as "move" | "join")}>Same for all</Button
        >
      {/if}
    </div>
  {/snippet}
  <Slot
    {slip}
    open={open.has(of)}
    chosen={chosen === of}
    width={Math.min(widthOf(slip, room.height), Math.max(240, room.width - 60))}
    onopen={() => desk.opened.set("piece", opening(opened, of))}
    onfold={() => desk.opened.set("piece", folding(opened, of))}
  >
    <Card
      title={entry(of).label}
      note={of === "join" && before
        ? `to ${desk.inside.name(before.shot)} before it`
        : of === "move"
          ? "over its whole length"
          : name}
      above={of === "fitting" ? undefined : kinds}
      {...of === "fitting"
        ? {
            onleft: laid.at > 0 ? () => shift(-1) : undefined,
            onright: laid.at < reel.pieces.length - 1 ? () => shift(1) : undefined,
            oncopy: copy,
            onremove: remove,
            extras,
          }
        : {}}
    >
      {#if of === "fitting"}
        <div
          class="grid min-h-6 break-inside-avoid grid-cols-[minmax(78px,33%)_minmax(0,1fr)_16px_minmax(0,1fr)] items-center gap-1"
        >
          <span class="truncate font-cond text-[12.5px] text-quiet">Frames of it</span>
          {#each ["first", "last"] as const as end (end)}
            {#if end === "last"}<span class="text-center text-quiet">–</span>{/if}
            <NumberField
              name={`${name}: ${end} frame`}
              value={(there?.first_number ?? 1001) + piece[end]!}
              step={1}
              onset={(value) => span(end, value)}
            />
          {/each}
        </div>
        <Fields
          {desk}
          fields={fields(of)}
          values={values(of)}
          path={`${path}/${of}`}
          about={name}
        />
        <div class="flex break-inside-avoid flex-wrap items-center gap-1 py-1 text-xs">
          {#if there?.state === "there"}<Button onclick={goInto}>Open this shot</Button>{:else}
            <span class="text-redtext"
              >{there ? "It is in the trash" : "It is not here"}: a gap.</span
            >
          {/if}
          <Button onclick={extras[0].run}>Cut here</Button>
          <Button onclick={remove}>Take out</Button>
        </div>
        {#if changedSays(reel, piece, there)}
          <p class="break-inside-avoid text-xs text-redtext">
            {changedSays(reel, piece, there)}
            <Button kind="bare" onclick={takeOver}>Take it over</Button>
          </p>
        {/if}
        <p class="break-inside-avoid text-xs text-quiet">
          {fitsSays(reel, piece, [shot.about.plate.width!, shot.about.plate.height!])}
        </p>
      {:else}
        {#each rest(of) as field (field.name)}
          {#if field.control === "inner"}
            <div
              class="grid min-h-6 break-inside-avoid grid-cols-[minmax(78px,33%)_minmax(0,1fr)] items-center gap-1"
            >
              <span class="truncate font-cond text-[12.5px] text-quiet" title={field.hint}
                >{field.label}</span
              >
              <Select
                name={`${entry(of).label}: ${field.label}`}
                value={String(values(of)[field.name] ?? "")}
                options={inner(field)}
                onpick={(id) => put(of, field.name, id || null, field.label.toLowerCase())}
              />
            </div>
          {:else}
            <Fields
              {desk}
              fields={[field]}
              values={values(of)}
              path={`${path}/${of}`}
              about={entry(of).label}
            />
          {/if}
        {:else}
          <p class="py-1 text-xs text-quiet">
            {of === "move" ? "It is at rest." : "It is cut: one picture after the other."}
          </p>
        {/each}
      {/if}
    </Card>
  </Slot>
{/each}
