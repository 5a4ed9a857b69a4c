/** The look of the page that is handed out: on a screen of any width, and on paper. */
export const STYLE = `
:root{--ink:#1E2A38;--soft:#5b6470;--sheet:#FFFDF8;--paper:#F6F4EE;--sunken:#EDEAE1;--line:#D9D4C7;--working:#0B6E69}
*{box-sizing:border-box}
[hidden]{display:none!important}
html,body{margin:0;background:var(--paper);color:var(--ink);font:16px/1.45 Page,"Helvetica Neue",Arial,sans-serif}
.unseen{position:absolute;width:1px;height:1px;overflow:hidden;clip-path:inset(50%);white-space:nowrap}
header{padding:12px 16px 8px}
h1{font-size:20px;line-height:1.25;margin:0}
header p{margin:2px 0 0;color:var(--soft);font-size:14px}
button{font:inherit;color:inherit;cursor:pointer}
button:focus-visible,input:focus-visible,canvas:focus-visible{outline:3px solid var(--working);outline-offset:2px}
#stage{position:relative;background:var(--sunken);overflow:hidden;width:100%;touch-action:none}
#stage canvas{position:absolute;inset:0;width:100%;height:100%;display:block}
#notes{pointer-events:none}
#caption{position:absolute;left:50%;bottom:4%;transform:translateX(-50%);max-width:88%;width:max-content;margin:0;padding:8px 16px;border-radius:6px;background:rgba(255,253,248,.92);text-align:center;font-size:clamp(14px,1.7vw,24px);pointer-events:none}
#caption:empty{display:none}
#back{position:absolute;left:12px;top:12px;min-height:44px;padding:0 14px;border:1px solid var(--working);border-radius:6px;background:var(--sheet)}
#name{position:absolute;right:12px;top:12px;margin:0;padding:4px 10px;border-radius:6px;background:rgba(255,253,248,.92);pointer-events:none;font-size:14px}
#name:empty{display:none}
#controls{display:flex;flex-wrap:wrap;gap:8px;align-items:center;padding:8px 12px;background:var(--sheet);border-top:1px solid var(--line);border-bottom:1px solid var(--line)}
#controls button{min-width:44px;min-height:44px;padding:0 12px;border:1px solid var(--line);border-radius:6px;background:var(--sheet);display:inline-flex;align-items:center;justify-content:center;gap:6px}
#controls button[aria-pressed=true]{border-color:var(--working);background:#E3EFEC}
#play{background:var(--working)!important;color:#fff;border-color:var(--working)!important}
#controls svg{width:20px;height:20px;fill:currentColor}
#scrub{flex:1 1 160px;min-width:120px;height:44px;accent-color:var(--working)}
#time{font-variant-numeric:tabular-nums;font-size:14px;color:var(--soft)}
#tries{display:flex;flex-wrap:wrap;gap:8px;align-items:center;padding:6px 12px;background:var(--sheet);border-bottom:1px solid var(--line)}
#tries button{min-height:44px;padding:0 14px;border:1px solid var(--line);border-radius:6px;background:var(--paper)}
#tries button[aria-pressed=true]{border-color:var(--working);background:#E3EFEC}
kbd{margin-left:8px;padding:1px 6px;border:1px solid var(--line);border-radius:4px;font:inherit;font-size:13px}
#picture{cursor:grab}
ol#steps{list-style:none;margin:0;padding:8px}
#steps li{border:1px solid var(--line);border-radius:6px;background:var(--sheet);margin:0 0 8px;overflow:hidden}
#steps li.here{border-color:var(--working);box-shadow:inset 4px 0 0 var(--working)}
#steps button{display:flex;gap:10px;width:100%;min-height:44px;padding:10px 12px 0;border:0;background:none;text-align:left;font-weight:600;align-items:baseline}
#steps .n{color:var(--soft);font-variant-numeric:tabular-nums;min-width:1.4em}
#steps p{margin:0;padding:0 12px 10px calc(22px + 1.4em);color:var(--ink);white-space:pre-line}
#steps img{display:block;width:100%;height:auto}
.alive #steps img{display:none}
#parts{padding:8px 12px;background:var(--sheet);border-bottom:1px solid var(--line)}
#parts h2{font-size:16px;margin:4px 0}
#parts ul{list-style:none;margin:0;padding:0 0 0 14px}
#parts>ul{padding:0}
#parts label{display:flex;gap:8px;align-items:center;min-height:32px}
#parts input{width:20px;height:20px;accent-color:var(--working)}
#parts li.row{display:flex;gap:8px;align-items:flex-start}
#parts li.row>input{margin:6px 0}
#parts summary{min-height:32px;line-height:32px;cursor:pointer}
#wrong{padding:10px 16px;margin:0;background:#f4e4d8}
@media(min-width:900px){
.alive body{height:100vh;overflow:hidden;display:grid;grid-template:auto minmax(0,1fr)/minmax(0,1fr) minmax(280px,26vw)}
.alive header{grid-column:1/-1}
.alive main{display:contents}
.alive #player{display:flex;flex-direction:column;min-height:0}
.alive #stage{flex:1;min-height:0}
.alive #side{overflow:auto;border-left:1px solid var(--line)}
}
@media(max-width:899px){.alive #stage{position:sticky;top:0;z-index:1}}
@media(min-width:2400px){html,body{font-size:22px}}
@media print{
@page{margin:14mm}
html,body{background:#fff}
.alive body{display:block;height:auto;overflow:visible}
#player,#parts,#wrong{display:none!important}
#side{overflow:visible!important;border:0!important}
.alive #steps img,#steps img{display:block;width:auto;max-width:100%;max-height:90mm}
#steps li{break-inside:avoid;border:0;border-top:1px solid #999;border-radius:0;box-shadow:none!important;padding:6px 0}
#steps button{padding-left:0}
#steps p{padding-left:0}
}
`;
