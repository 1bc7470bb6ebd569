<script lang="ts">
  import type { Probe } from '$lib/api/client';
  import { bytes } from '$lib/model/time';

  let { probe }: { probe: Probe } = $props();

  const counts = $derived(Object.entries(probe.counts));
  const blocks = $derived([
    { title: 'What the account may do', lines: probe.rights },
    { title: 'What may not be read', lines: probe.unreadable },
    { title: 'What is there and left out', lines: probe.left_out },
    { title: 'What it can promise', lines: probe.promises },
  ]);
</script>

<section class="border-l-3 border-pick pl-3" aria-label="What the try has found">
  <h2 class="font-semibold">{probe.software} answers</h2>
  <table class="mt-1.5">
    <tbody>
      {#each counts as [kind, number] (kind)}
        <tr>
          <td class="pr-3">{kind}</td>
          <td class="text-right font-mono">{number}</td>
        </tr>
      {:else}
        <tr><td class="text-ink-2">Nothing is there.</td></tr>
      {/each}
    </tbody>
  </table>
  {#if !probe.complete}
    <p class="text-ink-2">There is more; the try has looked at the beginning only.</p>
  {/if}
  {#if probe.by_digest}
    <p class="text-ink-2">
      Of {probe.by_digest} large or binary files only digest and size are kept; their contents would take
      {bytes(probe.bytes_by_digest)}.
    </p>
  {/if}
  {#each blocks as block (block.title)}
    {#if block.lines.length}
      <h3 class="mt-2.5 text-sm text-ink-2">{block.title}</h3>
      <ul>
        {#each block.lines as line (line)}<li>{line}</li>{/each}
      </ul>
    {/if}
  {/each}
  {#each Object.entries(probe.learned) as [name, value] (name)}
    <h3 class="mt-2.5 text-sm text-ink-2">Learned at this first contact</h3>
    <p class="font-mono text-sm break-all">{name.replace('_', ' ')}: {value}</p>
  {/each}
</section>
