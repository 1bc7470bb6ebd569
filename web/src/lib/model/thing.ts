import type { Ranked } from '$lib/api/client';
import { queryClient } from '$lib/api/cache';
import { commonPaths, inCommon } from '$lib/api/comparing';
import { count } from './differences';
import type { Path } from './paths';
import { Picks } from './picks.svelte';

/**
 * Puts something that differs into the tray of its system, in all objects that it is of; returns
 * what was done. Throws where what was seen is not to be found any more.
 */
export async function pickThing({ item, thing, backup, look }: Ranked): Promise<string> {
  if (!thing || !item.system || !backup || !look) return '';
  const picks = new Picks(item.system, backup);
  const told = `In the tray of ${item.system_name}.`;
  if (thing.count === 1) {
    if (thing.state === 'changed' && thing.attribute)
      picks.addAttribute([thing.path], thing.attribute);
    else if (picks.stateOf(thing.path, thing.state) !== 'all')
      picks.toggleRow(thing.path, thing.state, thing.holds > 0 && thing.state === 'missing');
    return told;
  }
  const looked = { left: backup, right: look };
  const { groups } = await queryClient.fetchQuery(inCommon(looked, thing.path, false));
  const group = groups.find((one) => one.attribute.name === thing.attribute);
  if (!group) throw new Error('It is not to be found any more; open it to see how it stands.');
  const { paths } = await queryClient.fetchQuery(commonPaths(looked, group.number, []));
  picks.addAttribute(paths as Path[], thing.attribute);
  return `${told} Picked in ${count(paths.length, 'object')}.`;
}
