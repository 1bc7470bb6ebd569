export type Path = string[];

export const keyOf = (path: Path): string => JSON.stringify(path);

export function isBeneath(path: Path, branch: Path): boolean {
  return branch.every((name, depth) => path[depth] === name);
}

export const samePath = (one: Path, two: Path): boolean =>
  one.length === two.length && isBeneath(one, two);

/** A name without the type in front of it, where it has one: "Imke Farrow" of "cn=Imke Farrow". */
export function plainName(name: string): string {
  const found = /^[A-Za-z][A-Za-z0-9-]*=(.+)$/.exec(name);
  return (found?.[1] ?? name).replace(/\\([,\\+"<>;= #])/g, '$1');
}

/** The places above an object, nearest last, as people say them. */
export function placeOf(path: Path): string {
  return path.slice(0, -1).map(plainName).join(' / ');
}

/** Reads a path as the URL has it; undefined where it is none. */
export function readPath(text: string | undefined): Path | undefined {
  try {
    return text ? (JSON.parse(text) as Path) : undefined;
  } catch {
    return undefined;
  }
}
