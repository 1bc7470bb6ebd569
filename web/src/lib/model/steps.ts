import { placeOf, plainName, type Path } from './paths';

/**
 * Where the object of a step is, or from where to where it goes: what differs must be seen. A new
 * place, else a new name; where the plain names agree, the whole ones do not.
 */
export function whereOf(step: { path: Path; to: Path | null }): string {
  if (!step.to) return placeOf(step.path);
  const [from, to] = [placeOf(step.path), placeOf(step.to)];
  if (from !== to) return `${from} → ${to}`;
  const [before, after] = [step.path.at(-1) ?? '', step.to.at(-1) ?? ''];
  const [plain, called] = [plainName(before), plainName(after)];
  return plain === called ? `${before} → ${after}` : `${plain} → ${called}`;
}

/**
 * A reference by its name alone; by its whole place where the other side has an object of that
 * name too, or both sides would read alike.
 */
export function referenceOf(path: Path, others: (Path | null)[]): string {
  const name = plainName(path.at(-1)!);
  const alike = others.some((other) => other?.length && plainName(other.at(-1)!) === name);
  return alike ? path.map(plainName).join(' / ') : name;
}
