// Words offered while typing, and the keys of the line.
'use strict';

function vocabulary() {
  const columns = page.study ? page.study.columns.map((c) => ({ word: c.column, kind: 'column',
    help: c.kind + (c.label ? ', ' + c.label : ''), written: c.written })) : [];
  const criteria = page.sieve ? page.sieve.criteria.map((c) => ({ word: c.name, kind: 'criterion',
    help: c.words, written: c.name })) : [];
  const settings = page.sieve ? page.sieve.settings.map((name) => ({ word: name, kind: 'setting',
    help: 'a value that can be changed for a run', written: name })) : [];
  return criteria.concat(settings, columns, page.words);
}
// What stands before the caret: a word that was begun, or a text in quotes behind a column.
function begun() {
  const before = line.value.slice(0, line.selectionStart);
  const name = '([A-Za-z.][\\w.]*|`[^`]+`)\\s*';
  const sign = '(?:==|!=|%in%\\s*c?\\(?(?:\\s*"[^"]*"\\s*,)*|,)\\s*';
  const quote = new RegExp(name + sign + '"([^"]*)$').exec(before);
  if (quote) return { kind: 'value', column: quote[1].replace(/`/g, ''), text: quote[2],
    from: before.length - quote[2].length - 1 };
  if ((before.match(/"/g) || []).length % 2) return null;
  const word = /[A-Za-z.][\w.]*$/.exec(before);
  return word ? { kind: 'word', text: word[0], from: before.length - word[0].length } : null;
}
function suggest(isAsked) {
  const at = begun();
  if (!at && !isAsked) return showWords([]);
  if (at && at.kind === 'value') {
    page.valueAt = at;
    send('values', { column: at.column, text: at.text, seq: page.seq });
    return showWords([]);
  }
  const text = at ? at.text.toLowerCase() : '';
  if (text.length < 2 && !isAsked) return showWords([]);
  const met = vocabulary().filter((w) => w.word.toLowerCase().includes(text) && w.word !== text);
  met.sort((a, b) => b.word.toLowerCase().startsWith(text) - a.word.toLowerCase().startsWith(text));
  showWords(met.slice(0, 40).map((w) => ({ shown: w.word, help: w.kind + ': ' + w.help,
    written: w.written, from: at ? at.from : line.selectionStart })));
}
function showValues(view) {
  if (view.seq !== page.seq || !view.values || !page.valueAt) return;
  const exact = view.values.length === 1 && view.values[0].value === page.valueAt.text;
  showWords(exact ? [] : view.values.map((v) => ({ shown: v.written, help: counted(v.n, 'row'),
    written: v.written, from: page.valueAt.from })));
}
function showWords(words) {
  page.offered = words;
  page.choice = -1;
  wordList.hidden = !words.length;
  byId('offered').textContent = words.length
    ? counted(words.length, 'word') + '; the arrow keys choose one' : '';
  line.removeAttribute('aria-activedescendant');
  fill(wordList, words.map((w, i) => make('li', { id: 'word-' + i, role: 'option',
    'aria-selected': 'false', onmousedown: (e) => { e.preventDefault(); takeWord(i); } },
  make('b', {}, w.shown), make('span', {}, w.help))));
}
function chooseWord(by) {
  const n = page.offered.length;
  page.choice = (page.choice + by + n + (page.choice < 0 && by < 0 ? 1 : 0)) % n;
  wordList.querySelectorAll('li').forEach((item, i) => {
    item.setAttribute('aria-selected', i === page.choice);
    if (i === page.choice) item.scrollIntoView({ block: 'nearest' });
  });
  line.setAttribute('aria-activedescendant', 'word-' + page.choice);
}
function takeWord(i) {
  const word = page.offered[i], after = line.value.slice(line.selectionStart).replace(/^"/, '');
  const head = line.value.slice(0, word.from) + word.written;
  setLine(head + (word.written.endsWith('"') ? after : line.value.slice(line.selectionStart)),
    head.length);
  showWords([]);
}

line.addEventListener('input', lineChanged);
line.addEventListener('blur', () => showWords([]));
line.addEventListener('keydown', (e) => {
  const isOpen = !wordList.hidden;
  if (isOpen && (e.key === 'ArrowDown' || e.key === 'ArrowUp')) {
    e.preventDefault();
    return chooseWord(e.key === 'ArrowDown' ? 1 : -1);
  }
  if (isOpen && page.choice >= 0 && (e.key === 'Enter' || e.key === 'Tab')) {
    e.preventDefault();
    return takeWord(page.choice);
  }
  if (e.key === 'Escape') {
    if (isOpen) return showWords([]);
    if (page.editing) return stopEditing();
  }
  if (e.key === ' ' && e.ctrlKey) { e.preventDefault(); return suggest(true); }
  if (e.key === 'Enter' && !e.shiftKey) {
    e.preventDefault();
    showWords([]);
    take(e.ctrlKey ? 'exclude' : 'include');
  }
});
function take(role) {
  const text = line.value;
  if (!text.trim()) return;
  if (page.checked && page.checked.seq === page.seq && !page.checked.is_right) return;
  const unknown = byId('unknown').value;
  page.sent = { text: text, editing: page.editing };
  if (page.editing) send('replace', { id: page.editing, text: text });
  else send('add', { text: text, role: role, unknown: unknown || null });
  // The line is free for what is typed next; what is refused comes back.
  page.editing = 0;
  byId('unknown').value = '';
  markEdited();
  setLine('');
}
function giveBack() {
  if (!page.sent) return;
  if (line.value) return fill(byId('said'), marked('Not taken: `' + page.sent.text + '`'));
  page.editing = page.sent.editing;
  setLine(page.sent.text);
}
byId('keep').addEventListener('click', () => take('include'));
byId('hold').addEventListener('click', () => take('exclude'));
byId('add').addEventListener('click', () => take('include'));
byId('cancel').addEventListener('click', stopEditing);
function nameIt() {
  const name = byId('name').value.trim();
  if (name && line.value.trim()) send('name', { name: name, text: line.value });
}
byId('name-it').addEventListener('click', nameIt);
byId('name').addEventListener('keydown', (e) => {
  if (e.key === 'Enter') { e.preventDefault(); nameIt(); }
});
function edit(step) {
  page.editing = step.id;
  markEdited();
  setLine(step.text);
}
function stopEditing() {
  page.editing = 0;
  markEdited();
  setLine('');
}
function markEdited() {
  document.querySelectorAll('#steps li').forEach((item) => {
    item.classList.toggle('edited', Number(item.dataset.id) === page.editing);
  });
}
