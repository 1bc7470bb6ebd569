<script lang="ts">
  import type { Option } from '$lib/api/client';
  import FormRow from './FormRow.svelte';

  let { option, value = $bindable() }: { option: Option; value: string } = $props();

  const id = $derived(`option-${option.name}`);
</script>

<FormRow {id} label={option.label} help={option.help} required={option.required}>
  {#if option.choices.length}
    <select {id} class="field" bind:value>
      {#each option.choices as choice (choice)}<option value={choice}>{choice}</option>{/each}
    </select>
  {:else if option.lines}
    <textarea {id} class="field w-full font-mono text-sm" rows="2" bind:value></textarea>
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
