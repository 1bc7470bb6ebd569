<script lang="ts">
  import Sheet from '$lib/parts/Sheet.svelte';

  let { open = $bindable(false) }: { open: boolean } = $props();

  const keys: [string, string][] = [
    ['↑ ↓', 'move in the tree'],
    ['→ ←', 'open and close a branch; from a leaf, to what holds it'],
    ['Enter', 'show on the bench, and go to its first pick'],
    ['↑ ↓ Esc', 'on the bench: from pick to pick, and back to the tree'],
    ['Space', 'pick the row, or let it go'],
    [']', 'next difference'],
    ['[', 'previous difference'],
    ['/', 'search in all backups'],
    ['F', 'choose which differences are shown'],
    ['R', 'rules: what does not count'],
    ['P', 'preview what is in the tray'],
    ['B', 'keep the branch that is shown'],
    ['L', 'look at live again'],
    ['V', 'compare with live, as it was looked at last'],
    ['T', 'to the timeline: ← → choose, Enter opens, Shift Enter compares with it'],
    ['Ctrl Z', 'take the last pick back'],
    ['Tab', 'to the bench: every attribute has its own pick'],
    ['?', 'this list'],
  ];
</script>

<Sheet bind:open title="Keys" width={440}>
  <dl class="grid grid-cols-[90px_1fr] gap-y-1.5">
    {#each keys as [key, does] (key)}
      <dt><kbd>{key}</kbd></dt>
      <dd>{does}</dd>
    {/each}
  </dl>
</Sheet>
