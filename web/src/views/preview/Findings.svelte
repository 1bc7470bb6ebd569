<script lang="ts">
  import type { Finding } from '$lib/api/client';
  import { plainName } from '$lib/model/paths';
  import OtherId from './OtherId.svelte';

  interface Props {
    findings: Finding[];
    /** The backup that is restored from, where there is one. */
    backup: number | null;
    system: number;
    confirmed: string[];
    answers: Record<string, string>;
  }
  let {
    findings,
    backup,
    system,
    confirmed = $bindable(),
    answers = $bindable(),
  }: Props = $props();

  const ORDER = ['stop', 'ask', 'confirm', 'note'];
  const WORDS = { stop: 'stops it', ask: 'asks', confirm: 'confirm', note: 'note' };
  const HUES = { stop: 'stop', ask: 'confirm', confirm: 'confirm', note: 'note' };
  const sorted = $derived(
    [...findings].sort((a, b) => ORDER.indexOf(a.level) - ORDER.indexOf(b.level)),
  );
</script>

<section class="mb-3" aria-label="To know first">
  <h2 class="font-semibold">Before it can run</h2>
  {#each sorted as finding (finding.name)}
    <label class="grid grid-cols-[16px_62px_minmax(0,1fr)] gap-2 border-b border-line py-1.5">
      {#if finding.level === 'confirm'}
        <input
          type="checkbox"
          class="mt-0.5 accent-pick"
          bind:group={confirmed}
          value={finding.name}
        />
      {:else}<span></span>{/if}
      <span class="font-semibold" style:color="var(--{HUES[finding.level]})">
        {WORDS[finding.level]}
      </span>
      <span>
        {#if finding.path.length}<b class="font-semibold">{plainName(finding.path.at(-1)!)}:</b
          >{/if}
        {finding.text}
        {#if backup !== null && finding.name.startsWith('id-reused:')}
          <OtherId {finding} {backup} {system} />
        {/if}
        {#if finding.level === 'ask'}
          <input
            type="password"
            autocomplete="off"
            aria-label="{finding.attribute} of {plainName(finding.path.at(-1) ?? '')}"
            class="field mt-1 block w-full font-mono"
            bind:value={answers[finding.name]}
          />
        {/if}
      </span>
    </label>
  {/each}
</section>
