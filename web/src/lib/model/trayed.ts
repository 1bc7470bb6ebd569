import type { PickedThing } from './picks.svelte';

/** Picks of one kind that stand together in the tray: the same attributes in several objects. */
export interface Trayed {
  key: string;
  things: PickedThing[];
}

/** Fewer than these are as quickly read one by one. */
const TOGETHER = 4;

/** Puts picks together that take the same attributes, whole, of several objects. */
export function trayed(things: PickedThing[]): Trayed[] {
  const found: Trayed[] = [];
  const alike = new Map<string, Trayed>();
  for (const thing of things) {
    const whole = thing.attributes.every((part) => !part.parts.length);
    const key =
      thing.scope === 'attributes' && whole
        ? JSON.stringify([thing.backup, thing.attributes.map((part) => part.name)])
        : JSON.stringify([thing.scope, thing.backup, thing.path]);
    const group = alike.get(key);
    if (group) group.things.push(thing);
    else {
      const made = { key, things: [thing] };
      alike.set(key, made);
      found.push(made);
    }
  }
  return found.flatMap((one) =>
    one.things.length < TOGETHER
      ? one.things.map((thing) => ({
          key: JSON.stringify([one.key, thing.path]),
          things: [thing],
        }))
      : [one],
  );
}
