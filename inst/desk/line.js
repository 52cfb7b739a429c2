// The line: what is typed, what is wrong with it, its counts and the choices it leaves.
'use strict';

let countTimer = 0;
function lineChanged() {
  page.seq += 1;
  drawMirror('');
  grow();
  const text = line.value;
  page.outcome = null;
  byId('rows').hidden = true;
  send('check', { text: text, seq: page.seq, editing: page.editing });
  byId('counts').classList.add('waiting');
  clearTimeout(countTimer);
  if (text.trim()) countTimer = setTimeout(askCounts, 150);
  suggest();
}
function askCounts() {
  page.asked = performance.now();
  send('count', { text: line.value, seq: page.seq, editing: page.editing });
}
function grow() {
  line.style.height = 'auto';
  line.style.height = line.scrollHeight + 2 + 'px';
}
function drawMirror(fault) {
  const text = line.value, at = fault ? text.indexOf(fault) : -1;
  if (at < 0) return fill(mirror, text);
  fill(mirror, text.slice(0, at), make('mark', {}, fault), text.slice(at + fault.length));
}
function setLine(text, at) {
  line.value = text;
  const caret = at === undefined ? text.length : at;
  line.setSelectionRange(caret, caret);
  line.focus();
  lineChanged();
}

// A piece put in at the caret, joined by `&` where something stands before it that ends.
function putIn(piece, isCondition) {
  const before = line.value.slice(0, line.selectionStart);
  const after = line.value.slice(line.selectionEnd);
  const ends = before.trimEnd(), isOpen = !ends || /[&|!(,<>=~+*\/%-]$|\bin$/.test(ends);
  const joint = isOpen ? (!ends || /[!(]$/.test(ends) || before !== ends ? '' : ' ')
    : isCondition ? ' & ' : before === ends ? ' ' : '';
  const head = (isOpen ? before : isCondition ? ends : before) + joint + piece;
  setLine(head + after, head.length);
}

function showLine(view) {
  if (view.seq !== page.seq) return;
  page.checked = view;
  const isStep = view.kind === 'step' || page.editing > 0;
  fill(byId('reading'), view.reading ? 'Read as: ' + view.reading : line.value.trim() ? ''
    : hint());
  drawMirror(view.findings.length ? view.findings[0].fault : '');
  line.setAttribute('aria-invalid', view.findings.some((f) => f.severity === 'error'));
  fill(byId('findings'), view.findings.map((f) => showFinding(f, (way) => setLine(way))));
  byId('choices').hidden = isStep || !line.value.trim();
  byId('add-step').hidden = !isStep;
  for (const id of ['keep', 'hold', 'name-it', 'add']) byId(id).disabled = !view.is_right;
  byId('add').textContent = page.editing ? 'Change the step' : 'Add this step';
  byId('cancel').hidden = !page.editing;
  // Old numbers stay while a slip is being mended.
  if (!view.has_condition && (view.is_right || !view.findings.length)) byId('counts').hidden = true;
}
function hint() {
  const numbers = page.study ? page.study.columns.filter((c) => /number|whole/.test(c.kind)) : [];
  const column = numbers.length ? numbers[numbers.length - 1].written : 'x';
  return ['Write what rows shall be, as ', make('code', {}, column + ' > 3'), ', or a step, as ',
    make('code', {}, 'statistics(' + column + ')'), '. A click on a column puts its name here; + ' +
    'beside it shows its values.'];
}
function showFinding(finding, take) {
  return make('div', { class: 'finding ' + finding.severity },
    make('p', {}, marked(finding.problem)),
    finding.where ? make('p', { class: 'where' }, marked(finding.where)) : null,
    finding.instead ? make('p', {}, marked(finding.instead)) : null,
    take ? (finding.ways || []).map((way) => make('button', { type: 'button',
      onclick: () => take(way) }, 'Write ', make('code', {}, way))) : null);
}

function showCounts(view) {
  if (view.seq !== page.seq) return;
  const rows = view.counts.rows, units = view.counts.units, unit = page.study.unit;
  const all = rows.yes + rows.no + rows.unknown, about = view.sampled ? 'about ' : '';
  byId('counts').hidden = false;
  byId('counts').classList.remove('waiting');
  for (const name of ['yes', 'no', 'unknown']) {
    const share = all ? 100 * rows[name] / all : 0;
    byId('bar').querySelector('.' + name).style.flexBasis = share + '%';
    const button = byId('numbers').querySelector('.' + name);
    button.querySelector('span').textContent = about + counted(rows[name], 'row') + ' (' +
      share.toFixed(1) + '%)' + (units ? '\n' + counted(units[name], unit) : '');
    button.setAttribute('aria-pressed', page.outcome === name);
  }
  byId('sampled').hidden = !view.sampled;
  byId('sampled').textContent = view.sampled ? 'From a sample of ' + number(view.sampled) + ' of ' +
    number(view.rows) + ' rows; all are being counted.' : '';
  page.countedIn = performance.now() - page.asked;
  document.body.dataset.counted = view.seq;
}
