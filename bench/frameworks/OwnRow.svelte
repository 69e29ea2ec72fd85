<script>
  const { value, index, shown } = $props();
</script>
<li>{shown(value, index)}</li>
