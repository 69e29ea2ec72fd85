<script>
  import { useSelection } from 'floe/svelte';
  const { index, selectionOf } = $props();
  const value = useSelection(selectionOf(index));
</script>
<li>{value.current}</li>
