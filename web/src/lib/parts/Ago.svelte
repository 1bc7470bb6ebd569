<script lang="ts">
  import { ago, exact } from '$lib/model/time';

  let { at }: { at: string } = $props();
  let now = $state(Date.now());

  $effect(() => {
    const timer = setInterval(() => (now = Date.now()), 20_000);
    return () => clearInterval(timer);
  });
</script>

<time datetime={at} title={exact(at)}>{ago(at, now)}</time>
