<script lang="ts">
  import type { System } from '$lib/api/client';
  import { choicesMade, POLICIES, policyChosen, policyForEach } from '$lib/model/choices';
  import { setParameter } from '$lib/model/looked.svelte';

  /** What is chosen for a restore: what becomes of what exists, and what the system offers. */
  let { system }: { system: System } = $props();

  const made = $derived(choicesMade(system));
</script>

<label class="mb-2 grid gap-0.5 text-sm text-ink-2">
  what is there already
  <select
    class="field w-full min-w-0"
    value={policyChosen()}
    onchange={(event) => {
      const chosen = event.currentTarget.value;
      setParameter('policy', chosen === 'overwrite' ? undefined : chosen);
    }}
  >
    {#each POLICIES as [name, words] (name)}<option value={name}>{words}</option>{/each}
  </select>
</label>
<label class="mb-2 flex items-center gap-1.5 text-sm text-ink-2">
  <input
    type="checkbox"
    class="accent-pick"
    checked={policyForEach()}
    onchange={(event) => setParameter('each', event.currentTarget.checked ? 1 : undefined)}
  />
  say it for each by itself
</label>
{#each system.choices as { name, label, choices, default: usual } (name)}
  <label class="mb-2 flex items-center gap-2 text-sm text-ink-2">
    <span class="min-w-0 flex-1">{label.toLowerCase()}</span>
    <select
      class="field"
      value={made[name] ?? usual}
      onchange={(event) => {
        const chosen = event.currentTarget.value;
        setParameter(name, chosen === usual ? undefined : chosen);
      }}
    >
      {#each choices as one (one)}<option value={one}>{one}</option>{/each}
    </select>
  </label>
{/each}
