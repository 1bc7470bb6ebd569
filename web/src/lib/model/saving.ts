/** Saves a text as a file of the person's own. */
export function saveText(name: string, text: string, type = 'text/plain'): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
