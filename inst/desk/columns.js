// Columns, and conditions that are marked on what they hold.
'use strict';

function showStudy(view) {
  page.study = view;
  document.title = 'The desk: ' + view.name;
  byId('headline').textContent = view.headline;
  const offer = byId('offer');
  offer.hidden = !view.offered;
  if (view.offered) {
    const lost = view.offered.unreadable;
    fill(offer, counted(view.offered.steps, 'step') + ' of ' + view.offered.when + ' are kept' +
      (lost ? '; ' + counted(lost, 'step') + ' with what only R code can say cannot be taken up'
        : '') + '.',
      make('button', { type: 'button', onclick: () => answerOffer(true) }, 'Take them up'),
      make('button', { type: 'button', onclick: () => answerOffer(false) }, 'Begin anew'));
  }
  drawColumns();
  if (!line.value && view.line) setLine(view.line);
}
function answerOffer(isTaken) {
  byId('offer').hidden = true;
  send('kept', { take: isTaken });
  line.focus();
}
const seen = new IntersectionObserver((met) => {
  met.filter((m) => m.isIntersecting).forEach((m) => {
    seen.unobserve(m.target);
    if (!page.spreads[m.target.dataset.column]) send('spread', { column: m.target.dataset.column });
  });
});
function drawColumns() {
  const text = byId('find').value.toLowerCase();
  const shown = page.study.columns.filter((c) => (c.column + ' ' + c.label).toLowerCase()
    .includes(text));
  fill(byId('column-list'), shown.map(columnItem));
}
byId('find').addEventListener('input', drawColumns);
function columnItem(column) {
  const item = make('li', { 'data-column': column.column });
  drawColumn(item, column);
  if (!page.spreads[column.column]) seen.observe(item);
  return item;
}
function drawColumn(item, column) {
  const spread = page.spreads[column.column], isOpen = page.open === column.column;
  fill(item, make('div', { class: 'column' },
    make('button', { type: 'button', class: 'put', title: column.label || null,
      onclick: () => putIn(column.written) }, column.name),
    spread ? picture(spread, column.name) : make('span', {}),
    make('button', { type: 'button', class: 'more', 'aria-expanded': String(isOpen),
      'aria-label': 'Values of ' + column.name, onclick: () => openColumn(column) },
    isOpen ? '\u2212' : '+'),
    make('span', { class: 'facts' }, column.kind + (spread && spread.absent !== null
      ? ', ' + number(spread.absent) + ' absent' : ''))),
  isOpen && spread ? opened(column, spread) : null);
}
function redrawColumn(name) {
  const column = page.study && page.study.columns.find((c) => c.column === name);
  const item = Array.from(byId('column-list').children).find((i) => i.dataset.column === name);
  if (column && item) drawColumn(item, column);
}
function openColumn(column) {
  const before = page.open;
  page.open = before === column.column ? null : column.column;
  if (before) redrawColumn(before);
  redrawColumn(column.column);
  const item = Array.from(byId('column-list').children)
    .find((i) => i.dataset.column === column.column);
  if (item) item.querySelector('.more').focus();
}
const svg = (tag, attributes) => {
  const made = document.createElementNS('http://www.w3.org/2000/svg', tag);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  return made;
};
function bars(counts, width, height, options) {
  const most = Math.max(1, ...counts), wide = width / Math.max(1, counts.length);
  const picture = svg('svg', Object.assign({ viewBox: '0 0 ' + width + ' ' + height,
    preserveAspectRatio: 'none' }, options));
  counts.forEach((count, i) => {
    const high = count ? Math.max(1, height * count / most) : 0;
    picture.append(svg('rect', { x: i * wide, y: height - high, width: Math.max(.5, wide - .6),
      height: high }));
  });
  return picture;
}
function picture(spread, name) {
  const counts = spread.bins.count ? spread.bins.count : spread.values.map((v) => v.n);
  return bars(counts, 62, 22, { class: 'spread', role: 'img', 'aria-label': 'Spread of ' + name });
}
function opened(column, spread) {
  const place = make('div', { class: 'open-column' });
  if (spread.bins.count) markStretch(place, column, spread.bins);
  else if (spread.values.length) tickValues(place, column, spread);
  place.append(make('button', { type: 'button',
    onclick: () => putIn('absent(' + column.written + ')', true) }, 'absent'), ' ',
  make('button', { type: 'button',
    onclick: () => putIn('present(' + column.written + ')', true) }, 'present'));
  return place;
}
// A stretch is marked with the pointer or with two sliders, and written as a condition.
function markStretch(place, column, bins) {
  const n = bins.count.length, counts = bins.count;
  const chart = bars(counts, 200, 74, { class: 'marking', 'aria-hidden': 'true' });
  const from = make('input', { type: 'range', min: '0', max: String(n - 1), value: '0',
    'aria-label': 'From' });
  const to = make('input', { type: 'range', min: '0', max: String(n - 1), value: String(n - 1),
    'aria-label': 'To' });
  const said = make('p', { class: 'mono' });
  const ends = () => [Math.min(from.value, to.value), Math.max(from.value, to.value)];
  const text = () => {
    const [a, b] = ends(), parts = [];
    if (a > 0) parts.push(column.written + ' >= ' + bins.from[a]);
    if (b < n - 1) parts.push(column.written + ' < ' + bins.to[b]);
    return parts.length ? parts.join(' & ') : 'present(' + column.written + ')';
  };
  const draw = () => {
    const [a, b] = ends();
    chart.querySelectorAll('rect').forEach((r, i) => r.classList.toggle('in', i >= a && i <= b));
    said.textContent = text();
    from.setAttribute('aria-valuetext', bins.from[a]);
    to.setAttribute('aria-valuetext', bins.to[b]);
  };
  const at = (e) => {
    const box = chart.getBoundingClientRect();
    return Math.max(0, Math.min(n - 1, Math.floor(n * (e.clientX - box.left) / box.width)));
  };
  chart.addEventListener('pointerdown', (e) => {
    chart.setPointerCapture(e.pointerId);
    from.value = to.value = at(e);
    draw();
  });
  chart.addEventListener('pointermove', (e) => {
    if (e.buttons) { to.value = at(e); draw(); }
  });
  from.addEventListener('input', draw);
  to.addEventListener('input', draw);
  place.append(chart, from, to, said, make('button', { type: 'button',
    onclick: () => putIn(text(), true) }, 'Write it'), ' ');
  draw();
}
function tickValues(place, column, spread) {
  const ticked = new Set();
  const text = () => {
    const some = spread.values.filter((v) => ticked.has(v.written)).map((v) => v.written);
    return some.length === 1 ? column.written + ' == ' + some[0]
      : column.written + ' %in% c(' + some.join(', ') + ')';
  };
  place.append(make('ul', {}, spread.values.map((v) => make('li', {},
    make('input', { type: 'checkbox', 'aria-label': v.value, onchange: (e) => {
      if (e.target.checked) ticked.add(v.written); else ticked.delete(v.written);
    } }),
    make('button', { type: 'button', class: 'put', title: 'Put the value into the line',
      onclick: () => putIn(v.written) }, v.value), make('span', {}, number(v.n))))),
  spread.different > spread.values.length ? make('p', {}, 'and ' + number(spread.different -
    spread.values.length) + ' more: type a quote behind the column\u2019s name to find them.') : '',
  make('button', { type: 'button', onclick: () => { if (ticked.size) putIn(text(), true); } },
    'Write it'), ' ');
}
