"use client";
import { createCache, extractStyle, StyleProvider } from "@ant-design/cssinjs";
import { useServerInsertedHTML } from "next/navigation";
import { type ReactNode, useState } from "react";

/**
 * Keeps what the theme says to the components, and puts it into the first page. The rules themselves are a file; see
 * `zeroRuntime` in the theme.
 */
export function Styles({ children }: { children: ReactNode }) {
  const [cache] = useState(heldCache);
  useServerInsertedHTML(() => {
    const css = extractStyle(cache, { plain: true, once: true });
    if (css.includes('.data-ant-cssinjs-cache-path{content:"";}')) return null;
    return (
      <style
        id="antd-cssinjs"
        data-rc-order="prepend"
        data-rc-priority="-1000"
        dangerouslySetInnerHTML={{ __html: css }}
      />
    );
  });
  return <StyleProvider cache={cache}>{children}</StyleProvider>;
}

/**
 * A cache that lets go of nothing. The library takes the theme's words for a kind of component out of the page with the
 * last one of that kind, and puts them back with the next: each time the browser works out the style of the whole page
 * anew, at every selection.
 */
function heldCache(): ReturnType<typeof createCache> {
  const cache = createCache();
  const update = cache.opUpdate.bind(cache);
  cache.opUpdate = (path, change) =>
    update(path, (before) => {
      const after = change(before);
      // One user more than there are: none is the last.
      return after && !before ? [after[0] + 1, after[1]] : after;
    });
  return cache;
}
