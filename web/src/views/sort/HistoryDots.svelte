<script lang="ts">
  import type { BriefRecord, Moment } from '$lib/api/client';
  import { ago, exact, shortDay } from '$lib/model/time';

  /** The versions of an object as a row of dots: when did it change, and what was it then. */
  interface Props {
    moments: Moment[];
    left: number;
    right: number;
    now: string;
    behind: boolean;
    onsource: (record: number) => void;
    onagainst: (record: number) => void;
  }
  let { moments, left, right, now, behind, onsource, onagainst }: Props = $props();

  const SHOWN = 16;
  let all = $state(false);
  const shown = $derived(all ? moments : moments.slice(-SHOWN));
  // a version is shown where a side is a backup that has it: the last to begin no later
  const at = (record: number): Moment | undefined => moments.findLast((m) => m.record.id <= record);
  const leftMoment = $derived(at(left));
  const rightMoment = $derived(at(right));

  function what(moment: Moment): string {
    if (moment.state === 'new') return 'first seen';
    if (moment.state === 'gone') return 'gone';
    if (moment.state === 'moved' && !moment.attributes.length) return 'moved';
    return moment.attributes.length ? moment.attributes.join(', ') : moment.state;
  }

  const named = (record: BriefRecord): string =>
    [`backup of ${ago(record.taken_at)}`, record.note].filter(Boolean).join(' · ');

  const day = ({ record }: Moment): string => shortDay(record.taken_at).replace(/^\w+,? /, '');

  function keyed(event: MouseEvent, moment: Moment): void {
    if (moment.state === 'gone') return;
    if (event.shiftKey) onagainst(moment.record.id);
    else onsource(moment.record.id);
  }
</script>

<div
  class="my-1.5 flex min-h-11.5 items-center gap-2 text-xs text-ink-2"
  role="group"
  aria-label="History"
>
  <span class="shrink-0">history</span>
  {#if moments.length > shown.length}
    <button class="link shrink-0" onclick={() => (all = true)}
      >{moments.length - shown.length} older</button
    >
  {/if}
  <div class="flex min-w-0 flex-1 items-start overflow-x-auto">
    {#each shown as moment, n (n)}
      {@const source = moment === leftMoment}
      {@const against = moment === rightMoment && right > 0}
      <button
        type="button"
        class="group relative flex min-w-14 flex-1 flex-col items-start pt-1 text-left"
        title="{named(moment.record)}: {what(moment)}. {exact(
          moment.record.taken_at,
        )}{moment.state === 'gone'
          ? ''
          : '. Click to pick from this version, shift-click to compare with it'}"
        aria-label="{day(moment)} {what(moment)}, {named(moment.record)}"
        aria-pressed={source}
        disabled={moment.state === 'gone'}
        onclick={(event) => keyed(event, moment)}
      >
        <span class="absolute top-2 left-1 h-px w-full bg-line-strong" aria-hidden="true"></span>
        <span
          class="relative size-2.5 rounded-full border-[1.5px] {source
            ? 'border-pick bg-pick'
            : against
              ? 'border-pick bg-sheet'
              : moment.state === 'gone'
                ? 'border-dashed border-missing bg-sheet'
                : 'border-ink-2 bg-ink-2 group-hover:bg-sheet'}"
        ></span>
        <span class="max-w-full truncate pr-1.5 {source ? 'font-semibold text-ink' : ''}"
          >{day(moment)}</span
        >
        <span class="max-w-full truncate pr-1.5 text-ink-3">{what(moment)}</span>
      </button>
    {:else}
      <span class="flex-1 self-center">{behind ? 'is being worked out' : 'no backup has it'}</span>
    {/each}
    {#if now}
      <span class="relative flex shrink-0 flex-col items-start pt-1">
        <span
          class="size-2.5 rounded-full border-[1.5px] {now === 'same'
            ? 'border-ink-2 bg-ink-2'
            : 'border-pick bg-sheet'}"
        ></span>
        <span class="font-semibold text-ink">live</span>
        <span class="text-ink-3">{now === 'same' ? 'the same' : now}</span>
      </span>
    {/if}
  </div>
</div>
