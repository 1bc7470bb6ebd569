/** The pages of the guide, as they lie in `docs/guide`; each is fetched when it is opened. */
const texts = import.meta.glob<string>('../../../../docs/guide/*.md', {
  query: '?raw',
  import: 'default',
});

/** The pages by the names of their files, in the order of the places they are about. */
export const PAGES: [string, string][] = [
  ['watch', 'Watch'],
  ['sort', 'Sort'],
  ['preview', 'Preview'],
  ['run', 'Run'],
  ['backups', 'Backups'],
  ['files', 'Files'],
  ['runs', 'Runs'],
  ['setup', 'Setup'],
  ['messages', 'Messages'],
  ['words', 'All words'],
];

const PLACES: [RegExp, string][] = [
  [/^\/sort\//, 'sort'],
  [/^\/backups\//, 'backups'],
  [/^\/plans\//, 'preview'],
  [/^\/runs\/\d/, 'run'],
  [/^\/runs/, 'runs'],
  [/^\/files/, 'files'],
  [/^\/setup/, 'setup'],
  [/^\/messages/, 'messages'],
];

/** Which page helps with the screen at an address. */
export const pageOf = (pathname: string): string =>
  PLACES.find(([place]) => place.test(pathname))?.[1] ?? 'watch';

/** Returns a page as HTML. */
export async function guide(name: string): Promise<string> {
  const found = Object.entries(texts).find(([path]) => path.endsWith(`/${name}.md`));
  if (!found) return '<p>There is no such page.</p>';
  // what writes HTML is fetched with the first page
  const [{ marked }, text] = await Promise.all([import('marked'), found[1]()]);
  return marked.parse(text, { async: false });
}
