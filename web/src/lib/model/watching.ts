import type { Ranked, System } from '$lib/api/client';
import { total } from './differences';

export const ORDERS = ['urgency', 'name', 'as added'] as const;
export type Order = (typeof ORDERS)[number];

/** More systems than these get one line each, unless somebody wants it otherwise. */
export const FEW = 12;

/** Whether a system is meant by what was typed: each word is in its name, its kind or a tag. */
export function isMeant(system: System, typed: string): boolean {
  const said = [system.name, system.connector_label, ...system.tags].join(' ').toLowerCase();
  return typed
    .toLowerCase()
    .split(/\s+/)
    .every((word) => said.includes(word));
}

/** Systems in an order; by urgency, those come first of which the most urgent thing is told. */
export function inOrder(systems: System[], order: Order, ranked: Ranked[]): System[] {
  if (order === 'as added') return systems;
  if (order === 'name') return [...systems].sort((a, b) => a.name.localeCompare(b.name, 'en'));
  const first = new Map<number, number>();
  ranked.forEach(({ item }, at) => {
    if (!item.aside && item.system !== null && !first.has(item.system)) first.set(item.system, at);
  });
  const rank = (system: System): number => first.get(system.id) ?? ranked.length;
  return [...systems].sort((a, b) => rank(a) - rank(b));
}

/** Systems beneath their tags, each beneath all it has; those without one come last. */
export function byTag(systems: System[]): { tag: string; systems: System[] }[] {
  const tags = [...new Set(systems.flatMap((system) => system.tags))].sort();
  const untagged = systems.filter((system) => !system.tags.length);
  return [
    ...tags.map((tag) => ({ tag, systems: systems.filter((one) => one.tags.includes(tag)) })),
    ...(untagged.length ? [{ tag: '', systems: untagged }] : []),
  ];
}

export const differing = (system: System): number => (system.look ? total(system.look.changes) : 0);
