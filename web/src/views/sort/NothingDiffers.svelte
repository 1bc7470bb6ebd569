<script lang="ts">
  import type { CompareHead, System } from '$lib/api/client';
  import { count } from '$lib/model/differences';

  /** What is said where no difference is found: no more than was compared. */
  let { head, system }: { head: CompareHead; system: System } = $props();

  const file = $derived(head.left.file ? head.left : head.right);
</script>

{#if head.mentions === 0}
  <p class="font-semibold">Nothing of {file.file} has a place in {system.name}.</p>
  <p class="text-ink-2">
    Nothing was compared. <a class="link" href="/files/{file.id}">Choose where the file hangs</a>,
    or another system.
  </p>
{:else}
  <p class="font-semibold">
    {head.not_kept ? 'Nothing of what was kept differs.' : 'Nothing differs.'}
  </p>
  <p class="text-ink-2">
    {head.not_kept
      ? `${count(head.same, 'object')} ${head.same === 1 ? 'is' : 'are'} the same. ${count(head.not_kept, 'other')} were left out of one side by choice, so nothing is said of them.`
      : head.mentions === null
        ? `All ${count(head.same, 'object')} are the same on both sides.`
        : `${count(head.same, 'object')} that the file tells of ${head.same === 1 ? 'is' : 'are'} the same; of the rest it says nothing.`}
  </p>
{/if}
