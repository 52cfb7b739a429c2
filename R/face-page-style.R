# Styles and scripts of pages.

page_style <- "
:root { color-scheme: light dark; --ink: #22303c; --soft: #3d4a55; --paper: #fffdf8;
  --line: #d9d1bf; --leaf: #2f6f73; --block: #f4efe3; --mark: #fdf3d7; --held: #d9c9b4; }
@media (prefers-color-scheme: dark) { :root { --ink: #e9e6dd; --soft: #b9bdb9; --paper: #182026;
  --line: #3f4b52; --leaf: #8cc7c0; --block: #232d34; --mark: #3a3420;
  --held: #6b5d48; } }
* { box-sizing: border-box; }
html { scroll-behavior: smooth; }
@media (prefers-reduced-motion) { html { scroll-behavior: auto; } }
body { margin: 0 auto; max-width: 84rem; padding: 1.1rem 1.5rem 4rem; background: var(--paper);
  color: var(--ink); font: 16px/1.55 'DejaVu Sans', Verdana, sans-serif; overflow-wrap: anywhere; }
a { color: var(--leaf); }
a:focus-visible, button:focus-visible, summary:focus-visible, .box:focus-visible {
  outline: 3px solid var(--leaf); outline-offset: 2px; }
.unseen { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%);
  white-space: nowrap; }
.skip { position: absolute; left: -99rem; } .skip:focus { left: 1rem; top: .5rem; }
h1 { font-size: 1.6rem; line-height: 1.25; margin: 0 0 .3rem; }
h2 { font-size: 1.2rem; margin: 1.5rem 0 .5rem; padding-bottom: .2rem; scroll-margin-top: .5rem;
  border-bottom: 2px solid var(--leaf); }
h3 { font-size: 1.02rem; margin: 1.5rem 0 .4rem; }
p, ul, ol { margin: .5rem 0; } li { margin: .15rem 0; }
.small { color: var(--soft); font-size: .86rem; } .lead { font-size: 1.04rem; }
.authors { color: var(--soft); margin-top: 0; } footer { margin-top: 2.5rem; }
main:focus { outline: none; }
.frame { display: flex; flex-direction: column; }
.reading { min-width: 0; max-width: 66rem; }
nav { margin: 0 0 .9rem; padding: .3rem .8rem; background: var(--block); border-radius: 4px; }
nav details { margin: 0; } nav summary { font-weight: bold; }
nav ul { margin: 0; padding: 0; list-style: none; }
nav li li { padding-left: 1rem; font-size: .88rem; }
nav a { display: block; padding: .16rem .4rem; min-height: 24px; text-decoration: none;
  border-left: 3px solid transparent; }
nav a:hover { text-decoration: underline; }
nav a[aria-current] { border-left-color: var(--leaf); background: var(--paper); color: var(--ink); }
@media (min-width: 68rem) {
  .frame { flex-direction: row; gap: 1.8rem; align-items: flex-start; }
  nav { position: sticky; top: .8rem; width: 14rem; flex: none; max-height: calc(100vh - 1.6rem);
    overflow-y: auto; font-size: .88rem; } .reading { flex: 1; } }
.noted > summary { background: var(--mark); padding: .3rem .7rem; border-radius: 4px; }
.notes li { background: var(--mark); padding: .35rem .7rem; border-radius: 4px; margin: .35rem 0; }
.notes { padding-left: 0; list-style: none; }
.box { overflow: auto; max-width: 100%; border-bottom: 1px solid var(--line); }
.box.tall { max-height: 34rem; }
.box.tall thead th { position: sticky; top: 0; background: var(--paper); }
table { border-collapse: collapse; font-size: .86rem; min-width: min(100%, 20rem);
  overflow-wrap: normal; }
th, td { padding: .28rem .9rem .28rem 0; text-align: left; vertical-align: top;
  border-bottom: 1px solid var(--line); max-width: 32rem; overflow-wrap: break-word; }
thead th { color: var(--soft); border-bottom-color: var(--ink); font-weight: normal;
  vertical-align: bottom; } tbody th { font-weight: normal; }
.n { text-align: right; font-variant-numeric: tabular-nums; white-space: nowrap; }
th button { all: unset; display: inline-block; min-width: 24px; min-height: 24px;
  text-align: inherit; cursor: pointer; color: inherit;
  text-decoration: underline dotted var(--soft); text-underline-offset: 3px; }
th button:focus-visible { outline: 3px solid var(--leaf); outline-offset: 2px; }
th[aria-sort=ascending] button::after { content: ' \\25B2'; }
th[aria-sort=descending] button::after { content: ' \\25BC'; }
tr.step td { font-weight: bold; } tr.condition td:nth-child(2) { padding-left: 1.4rem; }
tr.condition td { color: var(--soft); }
.tools { display: flex; flex-wrap: wrap; gap: .2rem 1.2rem; margin: .3rem 0 1rem;
  font-size: .86rem; }
.tools button { font: inherit; color: var(--leaf); background: none; border: 0; padding: 0;
  text-decoration: underline; cursor: pointer; }
.tools button, .tools a { display: inline-flex; align-items: center; min-height: 24px;
  min-width: 24px; }
figure { margin: .6rem 0 0; } figcaption { color: var(--soft); font-size: .86rem; }
.picture { overflow-x: auto; }
figure img { display: block; width: 100%; max-width: 60rem; height: auto; background: #fffdf8;
  border: 1px solid var(--line); }
.flow { list-style: none; padding: 0; margin: .2rem 0; }
.flow li { display: grid; grid-template-columns: 15rem 1fr 21rem; gap: 0 .9rem; margin: 0;
  padding: .22rem 0; border-bottom: 1px solid var(--line); font-size: .86rem; line-height: 1.35;
  align-items: center; }
.flow .said { text-align: right; } .flow .why { color: var(--soft); font-size: .8rem; }
.flow .why span { color: var(--ink); margin-right: .35rem; }
.flow .band { display: flex; height: 1.2rem; background: var(--block); }
.flow .on { background: var(--leaf); } .flow .off { background: var(--held); min-width: 2px; }
@media (forced-colors: active) {
  .flow .band { border: 1px solid CanvasText; }
  .flow .on { forced-color-adjust: none; background: Highlight; }
  .flow .off { forced-color-adjust: none; border: 1px solid CanvasText; background:
    repeating-linear-gradient(45deg, Canvas 0 4px, GrayText 4px 6px); }
  nav a[aria-current] { border-left-color: Highlight; } }
dialog { width: 98vw; max-width: none; height: 96vh; max-height: none; padding: .6rem;
  border: 1px solid var(--line); background: var(--paper); color: var(--ink); }
dialog .box { height: calc(100% - 2.2rem); } dialog img { max-width: none; }
details { margin: .4rem 0; }
summary { cursor: pointer; color: var(--leaf); font-size: .9rem; min-height: 24px; }
code { font: .92em 'DejaVu Sans Mono', monospace; }
pre { background: var(--block); padding: .9rem 1rem; overflow-x: auto; white-space: pre-wrap;
  font: .85rem/1.5 'DejaVu Sans Mono', monospace; overflow-wrap: anywhere; }
dl { display: grid; grid-template-columns: max-content 1fr; gap: .2rem 1.2rem; margin: .5rem 0; }
dt { color: var(--soft); } dd { margin: 0; }
.cut { display: none; }
@media screen { .broad td:not(.n) { min-width: 6.5rem; } }
@media (max-width: 40rem) { body { padding: 1rem .8rem 3rem; } h1 { font-size: 1.35rem; }
  .picture img { min-width: 46rem; } td:not(.n), th:not(.n) { min-width: 4.6rem; }
  .flow li { display: block; } .flow .said { text-align: left; }
  dl { display: block; } dd { margin: 0 0 .4rem; } }
@media print {
  :root { --ink: #000; --soft: #333; --paper: #fff; --line: #bbb; --block: #f3f3f3; --mark: #fff; }
  body { max-width: none; padding: 0; font-size: 10.5pt; }
  nav, .tools, .skip { display: none; } .flow span { print-color-adjust: exact; }
  h2, h3, caption { break-after: avoid; } tr, figure, li { break-inside: avoid; }
  thead { display: table-header-group; } .box, .box.tall { overflow: visible; max-height: none; }
  .broad table { font-size: .62rem; } .broad th, .broad td { padding-right: .4rem; }
  details:not([open]):not(.noted) { display: none; } .frame { display: block; }
  .cut { display: block; }
  figure img { max-height: 11.3cm; width: auto; max-width: 100%; } pre { font-size: 8.5pt; }
}
"

# The script of a page: tables sort and figures open. The page can be read
# without it.
page_script <- "
document.querySelectorAll('table[data-sorts]').forEach(function (table) {
  var body = table.tBodies[0];
  table.tHead.querySelectorAll('th').forEach(function (head, at) {
    var button = document.createElement('button');
    button.type = 'button';
    button.textContent = head.textContent;
    head.textContent = '';
    head.appendChild(button);
    button.addEventListener('click', function () {
      var falls = head.getAttribute('aria-sort') === 'ascending';
      table.tHead.querySelectorAll('th').forEach(function (h) { h.removeAttribute('aria-sort'); });
      head.setAttribute('aria-sort', falls ? 'descending' : 'ascending');
      var key = function (row) {
        var cell = row.cells[at];
        return cell.hasAttribute('data-v') ? cell.getAttribute('data-v') : cell.textContent;
      };
      var isNumber = head.classList.contains('n');
      Array.from(body.rows).map(function (row, i) { return [key(row), i, row]; })
        .sort(function (a, b) {
          if ((a[0] === '') !== (b[0] === '')) return a[0] === '' ? 1 : -1;
          var d = isNumber ? a[0] - b[0] : a[0] < b[0] ? -1 : a[0] > b[0] ? 1 : 0;
          return (falls ? -d : d) || a[1] - b[1];
        }).forEach(function (one) { body.appendChild(one[2]); });
    });
  });
});
(function () {
  var nav = document.querySelector('nav details');
  if (!nav || !window.matchMedia) return;
  var wide = window.matchMedia('(min-width: 68rem)');
  var set = function () { nav.open = wide.matches; };
  set();
  if (wide.addEventListener) wide.addEventListener('change', set);
  if (!window.IntersectionObserver) return;
  var links = {}, seen = new Set(), order = [];
  nav.querySelectorAll('a').forEach(function (a) {
    var id = a.getAttribute('href').slice(1), target = document.getElementById(id);
    if (target && target.tagName === 'SECTION') { links[id] = a; order.push(target); }
  });
  var watch = new IntersectionObserver(function (entries) {
    entries.forEach(function (e) {
      if (e.isIntersecting) seen.add(e.target.id); else seen.delete(e.target.id);
    });
    var now = order.find(function (s) { return seen.has(s.id); });
    if (!now) return;
    Object.keys(links).forEach(function (id) {
      if (id === now.id) links[id].setAttribute('aria-current', 'true');
      else links[id].removeAttribute('aria-current');
    });
  }, { rootMargin: '0px 0px -60% 0px' });
  order.forEach(function (s) { watch.observe(s); });
})();
// What is printed is not folded: notes, and the steps of the rows' way.
window.addEventListener('beforeprint', function () {
  document.querySelectorAll('.noted, #flow details').forEach(function (d) { d.open = true; });
});
document.querySelectorAll('.figure').forEach(function (figure) {
  var image = figure.querySelector('img'), place = figure.querySelector('.tools');
  if (!image || !place || !window.HTMLDialogElement) return;
  var open = document.createElement('button');
  open.type = 'button';
  open.textContent = 'Full size';
  open.setAttribute('aria-label', 'Full size: ' + figure.getAttribute('data-title'));
  place.insertBefore(open, place.firstChild);
  open.addEventListener('click', function () {
    var dialog = document.createElement('dialog'), close = document.createElement('button');
    var box = document.createElement('div'), large = image.cloneNode();
    dialog.setAttribute('aria-label', figure.getAttribute('data-title'));
    close.type = 'button';
    close.textContent = 'Close';
    box.className = 'box';
    box.tabIndex = 0;
    large.style.width = Math.max(1280, image.naturalWidth) + 'px';
    large.style.maxWidth = 'none';
    box.appendChild(large);
    dialog.append(close, box);
    close.addEventListener('click', function () { dialog.close(); });
    dialog.addEventListener('close', function () { dialog.remove(); open.focus(); });
    document.body.appendChild(dialog);
    dialog.showModal();
  });
});
"
