<script lang="ts">
  import type { Plan } from '$lib/api/client';
  import { count } from '$lib/model/differences';
  import { plainName } from '$lib/model/paths';

  /** What the system says beforehand of what the account may write; nothing beyond that. */
  let { plan }: { plan: Plan } = $props();

  const NAMED = 4;
  const open = $derived(new Set(plan.rights?.not_told));
  const names = $derived([
    ...new Set(plan.steps.filter((s) => open.has(s.number)).map((s) => plainName(s.name))),
  ]);
  const says = $derived.by(() => {
    if (!plan.rights || !plan.steps.length) return '';
    const { may } = plan.rights;
    const on = plan.system_name;
    if (!names.length) return may ? `${on} says that the account may write all of this.` : '';
    const which =
      open.size === plan.steps.length
        ? 'any of it'
        : `${names.slice(0, NAMED).join(', ')}${names.length > NAMED ? ` and ${names.length - NAMED} more` : ''}`;
    const rest = `${on} does not say beforehand whether the account may write ${which}; that shows when it is written.`;
    return may ? `The account may write ${count(may, 'step')} of it, as ${on} says. ${rest}` : rest;
  });
</script>

{#if says}
  <p class="grid grid-cols-[16px_74px_minmax(0,1fr)] gap-2 border-t border-line py-1.5">
    <span></span>
    <span class="font-semibold text-note">rights</span>
    <span>{says}</span>
  </p>
{/if}
