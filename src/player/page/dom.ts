/** Makes an element. Texts are set as text, never as markup. */
export function make<K extends keyof HTMLElementTagNameMap>(
  name: K,
  more: Record<string, string> = {},
  ...content: (Node | string)[]
): HTMLElementTagNameMap[K] {
  const it = document.createElement(name);
  for (const [key, value] of Object.entries(more)) it.setAttribute(key, value);
  it.append(...content);
  return it;
}
