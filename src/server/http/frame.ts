/** The empty page in which the app shows what its user has made: pages and sheets, as their readers will have them. */
export const FRAME_PATH = "/frame";

/** Takes one document from the page that shows it, once. */
const TAKE = `addEventListener("message",(e)=>{if(e.source!==parent||typeof e.data!=="string")return;document.open();document.write(e.data);document.close()},{once:true});parent.postMessage("frame","*")`;

export const FRAME_HTML = `<!doctype html><meta charset="utf-8"><title>Plextan</title><script>${TAKE}</script>`;

/**
 * Its headers, in place of the app's. What is written into it is made up by whoever made the sequence: it may run, as it
 * will with its reader, but in an origin of its own, so that it reaches nothing of the app, and loads nothing from
 * anywhere. Only the app may frame it.
 */
export const FRAME_HEADERS: Readonly<Record<string, string>> = {
  "Content-Type": "text/html; charset=utf-8",
  "Content-Security-Policy": [
    "sandbox allow-scripts",
    "default-src 'none'",
    "script-src 'unsafe-inline' blob:",
    "style-src 'unsafe-inline'",
    "img-src data: blob:",
    "font-src data:",
    "media-src data: blob:",
    "base-uri 'none'",
    "form-action 'none'",
    "frame-ancestors 'self'",
  ].join("; "),
  "X-Frame-Options": "SAMEORIGIN",
  "Cache-Control": "no-store",
};
