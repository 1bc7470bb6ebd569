import { untrack } from 'svelte';

/** A value once it has rested for so many ms: what is typed is not asked about at every letter. */
export function rested<T>(value: () => T, ms: number): { readonly current: T } {
  let current = $state.raw<T>(untrack(value));
  $effect(() => {
    const now = value();
    const timer = setTimeout(() => (current = now), ms);
    return () => clearTimeout(timer);
  });
  return {
    get current() {
      return current;
    },
  };
}
