<script lang="ts">
  /** A labelled choice of one of several: pairs of a value and what it is called. */
  type Props = {
    label: string;
    value: string;
    options: [string, string][];
    onpick: (value: string) => void;
  };
  let { label, value, options, onpick }: Props = $props();
</script>

<label>
  <span>{label}</span>
  <select class="field" {value} onchange={(e) => onpick(e.currentTarget.value)}>
    {#each options as [id, name] (id)}<option value={id}>{name}</option>{/each}
  </select>
</label>

<style>
  label {
    display: grid;
    grid-template-columns: 78px minmax(0, 1fr);
    align-items: center;
    gap: 5px;
    margin: 2px 0;
    font-size: 12px;
  }
  span {
    color: var(--quiet);
  }
  select {
    padding: 1px 4px;
    min-width: 0;
  }
</style>
