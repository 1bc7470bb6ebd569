<script lang="ts">
  import type { Option } from '$lib/api/client';
  import FormRow from './FormRow.svelte';

  interface Props {
    option: Option;
    value: string;
    /** Whether there is one that is never shown. */
    kept?: boolean;
  }
  let { option, value = $bindable(), kept = false }: Props = $props();

  const id = $derived(`option-${option.name}`);
</script>

<FormRow {id} label={option.label} help={option.help} required={option.required}>
  {#if option.choices.length}
    <select {id} class="field" bind:value>
      {#each option.choices as choice (choice)}<option value={choice}>{choice}</option>{/each}
    </select>
  {:else if option.lines}
    <textarea {id} class="field w-full font-mono text-sm" rows="2" bind:value></textarea>
  {:else if option.secret}
    <input
      {id}
      type="password"
      class="field w-full font-mono text-sm"
      autocomplete="new-password"
      placeholder={kept ? 'kept; type to replace it' : ''}
      bind:value
    />
  {:else}
    <input
      {id}
      class="field w-full font-mono text-sm"
      autocomplete="off"
      spellcheck="false"
      placeholder={option.default}
      bind:value
    />
  {/if}
</FormRow>
