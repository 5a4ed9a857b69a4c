/**
 * Address of the caption font's file (IBM Plex Sans 500, Latin), as the page's own styles name it; a worker has no
 * styles and must load it itself. Null when it is not found: captions then use the browser's sans-serif.
 */
export function captionFontUrl(): string | null {
  for (const sheet of document.styleSheets) {
    let rules: CSSRuleList;
    try {
      rules = sheet.cssRules;
    } catch {
      continue;
    }
    for (const rule of rules) {
      if (!(rule instanceof CSSFontFaceRule)) continue;
      const { style } = rule;
      const latin = style.getPropertyValue("unicode-range").toUpperCase().startsWith("U+0");
      if (
        !/IBM Plex Sans/.test(style.getPropertyValue("font-family")) ||
        style.getPropertyValue("font-weight") !== "500" ||
        !latin
      )
        continue;
      const url = /url\("?([^")]+\.woff2)"?\)/.exec(style.getPropertyValue("src"))?.[1];
      if (url) return new URL(url, sheet.href ?? window.location.href).href;
    }
  }
  return null;
}
