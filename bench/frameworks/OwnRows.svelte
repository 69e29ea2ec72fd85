<script>
  import OwnRow from './OwnRow.svelte';
  const { n, parts, shown } = $props();
  let value = $state(0);
  parts.change = (to) => (value = to);
</script>
{#each { length: n } as _, index (index)}<OwnRow {value} {index} {shown} />{/each}
