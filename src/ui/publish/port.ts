import { captionFontUrl } from "./captionFont";

/** What the making of outputs asks of the page. */
export const PORT = { origin: () => location.origin, fontUrl: captionFontUrl };
