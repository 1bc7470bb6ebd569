<script lang="ts">
  import type { OpenedFile } from '$lib/api/client';
  import { FORMS } from '$lib/api/files';
  import { count } from '$lib/model/differences';
  import { ago } from '$lib/model/time';

  /** What a file is of, whether it is whole and signed, and what it does not tell. */
  let { file }: { file: OpenedFile } = $props();

  const of = $derived(
    [
      file.system && `of ${file.system}`,
      file.software,
      file.taken_at && `taken ${ago(file.taken_at)}`,
      file.made_by && `by ${file.made_by}`,
    ].filter(Boolean),
  );
  const CALLED: Record<string, string> = Object.fromEntries(FORMS.map(([n, label]) => [n, label]));
  const SIGNED = {
    no: 'not signed',
    here: 'signed by this installation',
    elsewhere: 'signed by another installation',
  } as const;
</script>

<p class="text-ink-2">
  {of.length ? of.join(', ') : 'It does not say what it is of.'}{file.note ? ` “${file.note}”` : ''}
</p>
<p class="text-sm text-ink-2">
  read as {CALLED[file.form] ?? file.form} ·
  {file.whole ? 'holds all of its branch' : 'says nothing of what it does not mention'} ·
  {file.form === 'archive' ? `checksums hold, ${SIGNED[file.signed]}` : 'no checksums to hold'}
  {#if file.secrets}
    · <b class="font-semibold text-confirm">{count(file.secrets, 'secret')} not in it</b>
  {/if}
</p>
{#if file.passed_over.length}
  <ul class="mt-1 border-l-3 border-confirm pl-2.5 text-sm">
    {#each file.passed_over as one (one)}<li>Left aside: {one}</li>{/each}
  </ul>
{/if}
