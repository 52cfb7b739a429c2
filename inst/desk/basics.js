// The page of the desk: it shows what it is sent, and sends what is done. It counts nothing. This
// file: what all others use.
'use strict';

const byId = (id) => document.getElementById(id);
const line = byId('line'), mirror = byId('mirror'), wordList = byId('words');
const page = { socket: null, study: null, words: [], sieve: null, seq: 0, checked: null, editing: 0,
  outcome: null, spreads: {}, open: null, pictures: {}, pinned: null, values: {}, choice: -1,
  offered: [], ended: false, tries: 0, beginnings: {} };

function send(act, more) {
  if (page.socket && page.socket.readyState === 1) {
    page.socket.send(JSON.stringify(Object.assign({ act: act }, more || {})));
  }
}

// Elements are made with their text as text: nothing of the data is ever read as HTML.
function make(tag, options, ...inside) {
  const made = document.createElement(tag);
  for (const [key, value] of Object.entries(options || {})) {
    if (value === null || value === undefined || value === false) continue;
    if (key.startsWith('on')) made.addEventListener(key.slice(2), value);
    else if (key in made && key !== 'list' && typeof value !== 'string') made[key] = value;
    else made.setAttribute(key, value);
  }
  for (const part of inside.flat()) if (part !== null && part !== undefined) made.append(part);
  return made;
}
function fill(place, ...parts) { place.replaceChildren(...parts.flat().filter((p) => p)); }
const number = (n) => Number(n).toLocaleString('en-US');
function counted(n, one) { return number(n) + ' ' + one + (Number(n) === 1 ? '' : 's'); }
// Text in which `code` is marked.
function marked(text) {
  return String(text).split('`').map((part, i) => i % 2 ? make('code', {}, part) : part);
}
