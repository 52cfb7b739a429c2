// Rows of an outcome, and the way of one of them.
'use strict';

document.querySelectorAll('#numbers button').forEach((button) => {
  button.addEventListener('click', () => {
    const outcome = button.dataset.outcome;
    page.outcome = page.outcome === outcome ? null : outcome;
    document.querySelectorAll('#numbers button').forEach((b) => {
      b.setAttribute('aria-pressed', b.dataset.outcome === page.outcome);
    });
    if (!page.outcome) { byId('rows').hidden = true; return; }
    send('rows', { text: line.value, outcome: outcome, editing: page.editing });
  });
});
function showRows(view) {
  const place = byId('rows');
  if (!view.columns || view.outcome !== page.outcome) return;
  place.hidden = false;
  const decides = new Set(view.deciding), n = view.numbers.length;
  const head = make('tr', {}, make('th', { scope: 'col' }, 'row'), view.columns.map((name) =>
    make('th', { scope: 'col', class: decides.has(name) ? 'decides' : null }, name)));
  const body = make('tbody', {});
  for (let i = 0; i < n; i++) {
    body.append(make('tr', {}, make('td', {}, make('button', { type: 'button',
      'aria-label': 'Follow row ' + view.numbers[i],
      onclick: () => pin(view.numbers[i]) }, String(view.numbers[i]))),
    view.columns.map((name, k) => make('td', { class: (decides.has(name) ? 'decides ' : '') +
      (view.absent[k][i] ? 'absent' : '') }, view.absent[k][i] ? 'absent' : view.cells[k][i]))));
  }
  fill(place, make('p', {}, n ? 'The first ' + counted(n, 'row') + ' that are ' + view.outcome +
    '; a row number shows the row\u2019s way through the steps.'
    : 'No row is ' + view.outcome + '.',
  view.outcome === 'unknown' && view.because ? ' Unknown because: ' + view.because + '.' : ''),
  make('div', { class: 'box', tabindex: '0', role: 'region', 'aria-label': 'Rows that are ' +
    view.outcome }, make('table', {}, make('thead', {}, head), body)));
}
// A row that is followed stays pinned below the steps, and is followed again when they change.
function pin(row) {
  page.pinned = row;
  if (row) send('follow', { row: row });
  else byId('pinned').hidden = true;
}
function showFollowed(view) {
  if (view.row !== page.pinned) return;
  const place = byId('pinned');
  place.hidden = false;
  fill(place, make('h3', {}, 'The way of row ' + view.row + ' ', make('button', { type: 'button',
    onclick: () => pin(null) }, 'Let it go')), view.lines.length
    ? make('ul', {}, view.lines.map((l) => make('li', {}, 'Step ' + l.step + ', ' + l.kind + ': ' +
      l.name + (l.outcome ? ' is ' + l.outcome : '') + (l.saw ? ' (' + l.saw + ')' : '') +
      (l.became ? '; ' + l.became : ''))))
    : make('p', {}, 'No step has looked at it yet.'));
}
