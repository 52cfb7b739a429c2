// Steps with their account, criteria, and a step by its fields.
'use strict';

function showSieve(view) {
  page.sieve = view;
  byId('undo').disabled = !view.undo;
  byId('redo').disabled = !view.redo;
  byId('undo').title = view.undo ? 'Alt+Z: ' + view.undo : 'Alt+Z';
  byId('redo').title = view.redo ? 'Alt+Y: ' + view.redo : 'Alt+Y';
  fill(byId('said'), marked(view.said));
  const held = document.activeElement && document.activeElement.dataset.act
    ? [document.activeElement.closest('li').dataset.id, document.activeElement.dataset.act] : null;
  fill(byId('steps'), view.steps.map((step) => stepItem(step, view)));
  if (held) {
    const back = document.querySelector('#steps li[data-id="' + held[0] + '"] [data-act="' +
      held[1] + '"]');
    const other = back && back.disabled ? back.parentNode.querySelector(
      held[1] === 'down' ? '[data-act=up]' : '[data-act=down]') : back;
    if (other) (other.disabled ? back.parentNode.firstChild : other).focus();
  }
  fill(byId('total'), view.rows === null ? '' : number(view.rows) + ' of ' +
    counted(view.all_rows, 'row') + ' go all the way' +
    (view.units !== null ? ', of ' + counted(view.units, view.unit) : '') + '.');
  fill(byId('plan'), view.exits.plan);
  fill(byId('code'), view.exits.code);
  fill(byId('command'), view.exits.command);
  drawCriteria(view.criteria);
  if (page.pinned) pin(page.pinned);
  if (page.editing && !view.steps.some((s) => s.id === page.editing)) stopEditing();
  else if (line.value.trim()) lineChanged();
  markEdited();
  clearTimeout(page.outputTimer);
  if (view.has_outputs) page.outputTimer = setTimeout(() => send('outputs'), 200);
  else fill(byId('outputs'), make('p', { class: 'where' }, 'None yet: write a step, as ',
    make('code', {}, 'statistics(x, by = g)'), ' or ',
    make('code', {}, 'chart_box(y = x, x = g)'), '.'));
}
function stepItem(step, view) {
  const account = step.account, n = view.steps.length;
  const act = (name, label, title, handler, disabled) => make('button', { type: 'button',
    'data-act': name, title: title, 'aria-label': title + ', step ' + step.place,
    disabled: disabled, onclick: handler }, label);
  const went = account && account.rows_in ? 100 * account.rows_out / account.rows_in : 0;
  const bar = make('div', { class: 'went', 'aria-hidden': 'true' }, make('span', {}));
  bar.firstChild.style.flexBasis = Math.min(100, went) + '%';
  return make('li', { class: step.off ? 'off' : null, 'data-id': step.id },
    make('span', { class: 'place' }, step.place + '.'),
    make('div', {},
      step.words.map((w, i) => make('p', { class: 'said' }, w)),
      step.off ? make('p', { class: 'account' }, 'Switched off.')
        : account ? make('p', { class: 'account' }, number(account.rows_in) + ' in, ' +
          number(account.held) + ' held' +
          (account.added ? ', ' + number(account.added) + ' added' : '') +
          ', ' + number(account.rows_out) + ' out' + (account.units_out !== null
          ? ' (' + counted(account.units_out, view.unit) + ')' : ''))
          : step.ran ? null : make('p', { class: 'account' }, 'Not run.'),
      account && account.held ? bar : null,
      step.findings.map((f) => showFinding(f, null))),
    make('div', { class: 'does' },
      act('edit', 'Edit', 'Edit', () => edit(step)),
      act('up', '\u2191', 'Move up', () => send('move', { id: step.id, to: step.place - 1 }),
        step.place === 1),
      act('down', '\u2193', 'Move down', () => send('move', { id: step.id, to: step.place + 1 }),
        step.place === n),
      act('switch', step.off ? 'On' : 'Off', step.off ? 'Switch on' : 'Switch off',
        () => send('switch', { id: step.id })),
      act('remove', '\u00d7', 'Take out', () => send('remove', { id: step.id }))));
}
function drawCriteria(criteria) {
  const place = byId('criteria');
  place.hidden = !criteria.length;
  fill(place, criteria.map((c) => make('span', { class: 'chip', title: c.words },
    make('button', { type: 'button', 'aria-label': 'Write ' + c.name,
      onclick: () => putIn(c.name, true) }, c.name),
    make('button', { type: 'button', 'aria-label': 'Rename ' + c.name, title: 'Rename',
      onclick: (e) => rename(e.currentTarget.parentNode, c.name) }, '\u270e'))));
}
function rename(chip, name) {
  const input = make('input', { value: name, size: '12', 'aria-label': 'New name of ' + name });
  input.addEventListener('keydown', (e) => {
    if (e.key === 'Enter') send('rename', { from: name, to: input.value.trim() });
    if (e.key === 'Escape') drawCriteria(page.sieve.criteria);
  });
  fill(chip, input);
  input.select();
}

function drawForm() {
  const kinds = page.words.filter((w) => w.kind === 'step');
  fill(byId('form-kind'), kinds.map((k) => make('option', { value: k.word }, k.word)));
  drawFields();
}
function drawFields() {
  const kind = page.words.find((w) => w.kind === 'step' && w.word === byId('form-kind').value);
  fill(byId('form-fields'), kind ? kind.fields.map((f) => make('label', {},
    make('span', {}, f.name), f.choices.length
      ? make('select', { 'data-field': f.name }, make('option', { value: '' }, ''),
      f.choices.map((c) => make('option', { value: c }, c)))
      : make('input', { 'data-field': f.name, autocomplete: 'off', spellcheck: 'false',
        placeholder: f.example }))) : []);
}
byId('form-kind').addEventListener('change', drawFields);
byId('form-write').addEventListener('click', () => {
  const kind = page.words.find((w) => w.kind === 'step' && w.word === byId('form-kind').value);
  const parts = kind.fields.map((f) => {
    const value = byId('form-fields').querySelector('[data-field="' + f.name + '"]').value.trim();
    if (!value) return null;
    const written = f.is_text && !/^".*"$/.test(value) ? JSON.stringify(value) : value;
    return f.in_dots ? written : f.name + ' = ' + written;
  }).filter((p) => p);
  setLine(kind.word + '(' + parts.join(', ') + ')');
});
