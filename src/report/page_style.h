// The style sheet of reports.
#pragma once

namespace quill {

inline constexpr const char* kPageStyle = R"css(
:root{color-scheme:light dark;--paper:#fdfdfb;--ink:#1d2733;--soft:#586573;--line:#d5dade;--code:#f1f3f2;--accent:#0b5f7a;
--good:#1c6b3c;--warn:#8a5300;--bad:#a3222b;--keyword:#7a3b82;--number:#0b5f7a;--text:#3d6a1f;--comment:#5d6a76;--call:#1f4e96}
@media(prefers-color-scheme:dark){:root{--paper:#14191f;--ink:#dde3e8;--soft:#9aa7b3;--line:#36414c;--code:#1d242c;--accent:#6cc3dd;
--good:#7fcf9b;--warn:#e5b567;--bad:#f08a8f;--keyword:#d3a1dc;--number:#7ecbe0;--text:#a9cf83;--comment:#94a2ae;--call:#9dbdf5}}
*{box-sizing:border-box}
body{margin:0;background:var(--paper);color:var(--ink);font:17px/1.6 Inter,"Noto Sans","Liberation Sans",Arial,sans-serif;
overflow-wrap:break-word}
.page{max-width:56.5rem;margin:0 auto;padding:2rem 1.25rem 4rem}
h1{font-size:2rem;line-height:1.2;margin:.2em 0 .3em}
h2{font-size:1.45rem;line-height:1.3;margin:2.2em 0 .5em;padding-top:.7em;border-top:1px solid var(--line)}
h3{font-size:1.15rem;margin:1.6em 0 .4em}h4,h5,h6{font-size:1rem;margin:1.4em 0 .4em}
a{color:var(--accent)}a:focus-visible,summary:focus-visible,[tabindex]:focus-visible{outline:3px solid var(--accent);outline-offset:2px}
.facts{color:var(--soft);margin:0 0 1.5rem}
nav{font-size:.95rem}nav ol{margin:.3em 0;padding-left:1.4em}nav li{padding:.15em 0}nav p{font-weight:600;margin:0}
pre,code,.scroll td,.mono{font-family:"JetBrains Mono","DejaVu Sans Mono","Liberation Mono",Menlo,Consolas,monospace;font-size:.85em}
p code,li code{background:var(--code);padding:.1em .3em;border-radius:3px}
pre{margin:.9em 0;padding:.75em 1em;overflow-x:auto;line-height:1.5;border-radius:5px;tab-size:4}
pre.code{background:var(--code);border-left:3px solid var(--line)}
pre.output{border:1px solid var(--line)}
.k{color:var(--keyword);font-weight:600}.n{color:var(--number)}.s{color:var(--text)}.c{color:var(--comment);font-style:italic}.b{color:var(--call)}
.scroll{overflow-x:auto;margin:.9em 0}
table{border-collapse:collapse;font-size:.95em}
.caption{color:var(--soft);margin:.9em 0 -.5em;font-size:.9em}
th,td{padding:.2em .8em;border-bottom:1px solid var(--line);text-align:left}
.scroll th,.scroll td{text-align:right;white-space:pre}
thead th{border-bottom:2px solid var(--soft);vertical-align:bottom}
.scroll th.left,.scroll td.left{text-align:left}th .unit{display:block;font-weight:400;color:var(--soft)}
details{margin:.6em 0}summary{cursor:pointer;color:var(--accent);padding:.2em 0}
figure{margin:1.4em 0}figure img{max-width:100%;height:auto;display:block;border-radius:4px;background:#fff}
figcaption{color:var(--soft);font-size:.9em;margin-top:.35em}
main img{max-width:100%}
.formula{overflow:visible}.display{display:block;text-align:center;margin:1em 0;overflow-x:auto}
.message{margin:.8em 0;padding:.45em .9em;border-left:4px solid;border-radius:3px;background:var(--code);white-space:pre-wrap}
.message b{font-weight:650}.check b{color:var(--good)}.check{border-color:var(--good)}
.warning b{color:var(--warn)}.warning{border-color:var(--warn)}.error b{color:var(--bad)}.error{border-color:var(--bad)}
.error,.message code{font-family:"JetBrains Mono","DejaVu Sans Mono","Liberation Mono",Menlo,Consolas,monospace;font-size:.85em}
.note{color:var(--soft);font-size:.92em;margin:.6em 0}
dl{display:grid;grid-template-columns:minmax(7rem,max-content) minmax(0,1fr);gap:.25em 1.2em;margin:1em 0}
dt{color:var(--soft)}dd{margin:0;overflow-wrap:anywhere}
.skip{position:absolute;left:-99rem}.skip:focus{left:1rem;top:1rem;background:var(--paper);padding:.5em 1em}
@media(max-width:34rem){body{font-size:16px}.page{padding:1rem .9rem 3rem}h1{font-size:1.6rem}dl{grid-template-columns:minmax(0,1fr);gap:0}
dd{margin-bottom:.5em}pre{padding:.6em .7em}}
@media print{:root{color-scheme:light;--paper:#fff;--ink:#000;--soft:#444;--line:#bbb;--code:#f4f4f4;--accent:#000;--good:#1c6b3c;
--warn:#8a5300;--bad:#a3222b;--keyword:#5c2a63;--number:#093f52;--text:#2f5317;--comment:#555;--call:#173a70}
body{font-size:10.5pt}.page{padding:0;max-width:none}.skip{display:none}
pre{white-space:pre-wrap;overflow-wrap:anywhere}h2,h3,h4{break-after:avoid}figure,.message,pre,tr{break-inside:avoid}details{display:none}
.scroll{overflow:visible}a{text-decoration:none}@page{margin:18mm 16mm}}
)css";

}  // namespace quill
