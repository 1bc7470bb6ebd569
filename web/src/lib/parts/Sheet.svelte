<script lang="ts">
  import { Dialog } from 'bits-ui';
  import type { Snippet } from 'svelte';
  import { givesFocusBack } from '$lib/model/focus';

  /** A sheet that lies over a view until it is closed; focus then goes back to where it was. */
  interface Props {
    open: boolean;
    title: string;
    description?: string;
    /** Widest it gets, in CSS px. */
    width?: number;
    children: Snippet;
  }
  let { open = $bindable(), title, description, width = 540, children }: Props = $props();

  const focus = givesFocusBack();
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 bg-ink/30" />
    <Dialog.Content
      {...focus}
      class="fixed top-16 left-1/2 max-h-[86vh] max-w-[96vw] -translate-x-1/2 overflow-auto border border-line-strong bg-sheet p-5"
      style="width: {width}px"
    >
      <Dialog.Title class="mb-3 text-lg font-semibold">{title}</Dialog.Title>
      {#if description}
        <Dialog.Description class="-mt-3 mb-3 text-sm text-ink-2">{description}</Dialog.Description>
      {/if}
      {@render children()}
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
