/** A text as it may stand in an attribute of HTML. */
const attribute = (text: string): string =>
  text.replace(/&/g, "&amp;").replace(/"/g, "&quot;").replace(/</g, "&lt;").replace(/>/g, "&gt;");

/**
 * What puts a page of ours into another one, as HTML to be pasted there: the file lies beside that page.
 * @param file its name @param title of the sequence, for who cannot see it @param picture of the sequence, whose shape
 * it takes with room for what stands below it
 */
export function embedSnippet(file: string, title: string, picture: { width: number; height: number }): string {
  const address = encodeURIComponent(file).replace(/'/g, "%27");
  const shape = `${picture.width} / ${Math.round(picture.height * 1.3)}`;
  return `<iframe src="${address}" title="${attribute(title)}" loading="lazy" sandbox="allow-scripts" style="width:100%;aspect-ratio:${shape};min-height:360px;border:0"></iframe>`;
}
