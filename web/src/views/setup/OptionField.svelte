<script lang="ts">
  import type { Option } from '$lib/api/client';

  let { option, value = $bindable() }: { option: Option; value: string } = $props();

  const id = $derived(`option-${option.name}`);
</script>

<div class="grid grid-cols-[150px_minmax(0,1fr)] gap-x-3 py-1.5">
  <label for={id} class="pt-1">
    {option.label}{#if option.required}<span class="text-stop" title="needed"> *</span>{/if}
  </label>
  <div>
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
    <p class="text-sm text-ink-2">{option.help}</p>
  </div>
</div>
