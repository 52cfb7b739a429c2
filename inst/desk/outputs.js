// Tables and figures.
'use strict';

function showOutputs(view) {
  page.outputs = view;
  fill(byId('outputs'), view.tables.map(tableOf), view.figures.map(figureOf));
}
function tableOf(table) {
  const head = make('tr', {}, table.columns.map((name, k) => make('th', { scope: 'col',
    class: table.right[k] ? 'n' : null }, name)));
  const n = table.cells.length ? table.cells[0].length : 0, body = make('tbody', {});
  for (let i = 0; i < n; i++) {
    body.append(make('tr', {}, table.cells.map((cells, k) => make('td', {
      class: table.right[k] ? 'n' : null }, cells[i]))));
  }
  return make('div', {}, make('h3', {}, table.name), make('div', { class: 'box', tabindex: '0',
    role: 'region', 'aria-label': 'Table ' + table.name }, make('table', {},
    make('thead', {}, head), body)), table.rows > n
    ? make('p', { class: 'where' }, 'The first ' + n + ' of ' + counted(table.rows, 'row') + '.')
    : null);
}
function figureOf(figure) {
  const place = figure.name + '\n' + (figure.subset || '');
  const image = make('img', { alt: figure.title + '. ' + figure.caption, 'data-key': figure.key });
  const known = page.pictures[place];
  // A picture that is forgotten by now is drawn anew.
  image.addEventListener('error', () => send('draw', { key: figure.key }), { once: true });
  if (known) image.src = '/figure/' + known;
  if (known !== figure.key) {
    image.className = 'waiting';
    send('draw', { key: figure.key });
  }
  image.dataset.place = place;
  return make('figure', {}, make('h3', {}, figure.name + (figure.subset
    ? ', subset ' + figure.subset : '')), image);
}
function showPicture(view) {
  document.querySelectorAll('#outputs img[data-key="' + view.key + '"]').forEach((image) => {
    image.src = '/figure/' + view.key;
    image.className = '';
    page.pictures[image.dataset.place] = view.key;
  });
}
