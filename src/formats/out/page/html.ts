import { deflateSync } from "fflate";

/** A step as it stands in the page without its player: in words and one picture. */
export interface PageStep {
  title: string;
  caption: string;
  /** A JPEG of what the step comes to; null for none. */
  picture: Uint8Array | null;
}

/** What a page is put together from. */
export interface PageParts {
  title: string;
  /** A line below the title. */
  about: string;
  steps: readonly PageStep[];
  /** The player's code and its style. */
  code: string;
  style: string;
  /** Latin letters of the page's font, WOFF2. */
  font: Uint8Array | null;
  /** What is played, as data. */
  film: object;
  /** The assembly as it is stored. */
  model: Uint8Array;
  /** Maps of the lights that are worn, in the film's order. */
  light: Uint8Array;
  /** Sound files by asset, as they were brought in. */
  sounds: readonly { asset: string; bytes: Uint8Array }[];
}

/** Text as it may stand in HTML, also in an attribute. */
export const escaped = (text: string): string =>
  text
    .replace(/&/g, "&amp;")
    .replace(/</g, "&lt;")
    .replace(/>/g, "&gt;")
    .replace(/"/g, "&quot;")
    .replace(/'/g, "&#39;");

/** Bytes as base64 (RFC 4648). */
export function base64(bytes: Uint8Array): string {
  let text = "";
  const PIECE = 0x6000;
  for (let at = 0; at < bytes.length; at += PIECE)
    text += btoa(String.fromCharCode(...bytes.subarray(at, Math.min(bytes.length, at + PIECE))));
  return text;
}

const packed = (bytes: Uint8Array): string => base64(deflateSync(bytes, { level: 9 }));

/**
 * Unpacks the code and runs it. The film, its model and its light are unpacked meanwhile, so that they are there when
 * the code asks; all else is unpacked when it is asked for.
 */
const START = [
  "(()=>{const unpack=async(id)=>{const text=document.getElementById(id).textContent;let bytes;",
  // Where the browser reads base64 by itself it takes a tenth of the time; else a loop, a tenth of Uint8Array.from's.
  "if(Uint8Array.fromBase64)bytes=Uint8Array.fromBase64(text);else{const t=atob(text);bytes=new Uint8Array(t.length);",
  "for(let i=0;i<bytes.length;i++)bytes[i]=t.charCodeAt(i)}",
  'return new Response(new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate-raw"))).arrayBuffer()};',
  // A browser takes its time to open what draws: it does so while the rest is unpacked. As `createRenderer` asks for it.
  'const c=document.createElement("canvas");c.getContext("webgl2",{alpha:true,depth:true,stencil:false,antialias:true,',
  'powerPreference:"high-performance"});window.plextanCanvas=c;',
  'const code=unpack("code");const begun={film:unpack("film"),model:unpack("model"),light:unpack("light")};',
  "for(const it of Object.values(begun))it.catch(()=>{});",
  "window.plextanUnpack=(id)=>{const it=begun[id]??unpack(id);delete begun[id];return it};",
  'code.then((code)=>{const s=document.createElement("script");',
  's.src=URL.createObjectURL(new Blob([code],{type:"text/javascript"}));document.head.append(s)})})()',
].join("");

/** A text's hash as a Content-Security-Policy names it. */
export const hashOf = async (text: string): Promise<string> =>
  `'sha256-${base64(new Uint8Array(await crypto.subtle.digest("SHA-256", new TextEncoder().encode(text))))}'`;

/**
 * One HTML file that opens from disk without a network: steps in words and pictures for who has no more, and the
 * player, which takes their place where it can. Nothing in it may load anything from anywhere.
 */
export async function pageHtml(p: PageParts): Promise<string> {
  const style = `${p.font ? `@font-face{font-family:Page;src:url(data:font/woff2;base64,${base64(p.font)})}` : ""}${p.style}`;
  const policy = [
    "default-src 'none'",
    // The one script that stands here, and what it makes.
    `script-src ${await hashOf(START)} 'strict-dynamic'`,
    `style-src ${await hashOf(style)}`,
    "img-src data: blob:",
    "font-src data:",
    "media-src data: blob:",
    "base-uri 'none'",
    "form-action 'none'",
  ].join("; ");
  const encode = (value: object) => packed(new TextEncoder().encode(JSON.stringify(value)));
  const steps = p.steps.map(
    (s, i) =>
      `<li data-step="${i}"><button type="button"><span class="n">${i + 1}</span><span>${escaped(s.title)}</span></button>` +
      `${s.picture ? `<img alt="" src="data:image/jpeg;base64,${base64(s.picture)}">` : ""}` +
      `${s.caption ? `<p>${escaped(s.caption)}</p>` : ""}</li>`,
  );
  const data = (id: string, text: string) => `<script type="text/plain" id="${id}">${text}</script>`;
  return [
    '<!doctype html><html lang="en"><head><meta charset="utf-8">',
    `<meta http-equiv="Content-Security-Policy" content="${policy}">`,
    '<meta name="viewport" content="width=device-width,initial-scale=1">',
    `<title>${escaped(p.title)}</title><style>${style}</style></head><body>`,
    `<header><h1>${escaped(p.title)}</h1><p>${escaped(p.about)}</p></header>`,
    '<main><section id="player" aria-label="Player" hidden></section>',
    `<div id="side"><ol id="steps" aria-label="Steps">${steps.join("")}</ol></div></main>`,
    data("film", encode(p.film)),
    data("model", packed(p.model)),
    data("light", packed(p.light)),
    ...p.sounds.map((s) => data(`sound-${s.asset}`, base64(s.bytes))),
    data("code", packed(new TextEncoder().encode(p.code))),
    `<script>${START}</script></body></html>`,
  ].join("\n");
}
