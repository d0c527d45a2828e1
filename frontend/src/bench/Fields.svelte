<script lang="ts">
  import type { FieldOut } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import Field from "./Field.svelte";

  /** Declared fields one below the other; `path` is where their values lie in the document. */
  type Props = {
    desk: Desk;
    fields: FieldOut[];
    values: Record<string, unknown>;
    path: string;
    about: string;
  };
  let { desk, fields, values, path, about }: Props = $props();
</script>

{#each fields as field (field.name)}
  <Field {desk} {field} value={values[field.name]} path={`${path}/${field.name}`} {about} />
{/each}
