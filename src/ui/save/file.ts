/** Has the browser save something as a file. @param name without what it must not have in it */
export function saveFile(name: string, content: Blob): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(content);
  link.download = name.replace(/[^\w.-]+/g, '-');
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}
