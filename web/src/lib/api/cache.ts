import { QueryClient } from '@tanstack/svelte-query';
import { Failure } from './client';

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      refetchOnWindowFocus: false,
      retry: (count, error) => count < 2 && !(error instanceof Failure && error.status > 0),
    },
  },
});
