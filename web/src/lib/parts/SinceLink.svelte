<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { askWork, work } from '$lib/api/queries';
  import type { Path } from '$lib/model/paths';
  import { navigate } from '../../routes';

  /** One click: looks at what a backup holds, as it is live now, and shows what has changed. */
  interface Props {
    system: number;
    backup: number;
    at: Path;
    label?: string;
  }
  let { system, backup, at, label = 'what have I changed since?' }: Props = $props();

  let asked = $state<number>();
  let error = $state('');
  const found = createQuery(() => ({ ...work(asked ?? 0), enabled: asked !== undefined }));

  async function look(): Promise<void> {
    error = '';
    try {
      asked = await askWork(system, 'look', at);
    } catch (problem) {
      error = (problem as Error).message;
    }
  }

  $effect(() => {
    const { state, result, message } = found.data ?? {};
    if (asked === undefined || !state) return;
    if (state === 'failed' || state === 'cancelled') {
      error = message ?? '';
      asked = undefined;
    } else if (state === 'done' && result) {
      asked = undefined;
      void navigate('/sort/:system', {
        params: { system: String(system) },
        search: { left: backup, right: result },
      });
    }
  });
</script>

<button class="link" disabled={asked !== undefined} onclick={look}
  >{asked === undefined ? label : 'looking…'}</button
>
{#if error}<span class="text-stop" role="alert">{error}</span>{/if}
