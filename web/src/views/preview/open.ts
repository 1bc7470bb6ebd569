import type { Plan } from '$lib/api/client';
import { queryClient } from '$lib/api/cache';
import { plan as planOf } from '$lib/api/queries';
import { navigate } from '../../routes';

/** Shows a plan that has just been made. */
export async function openPlan(plan: Plan): Promise<void> {
  queryClient.setQueryData(planOf(plan.id).queryKey, plan);
  await navigate('/plans/:plan', { params: { plan: String(plan.id) } });
}
