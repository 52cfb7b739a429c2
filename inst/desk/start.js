// The page as a whole: what is done with what it is sent, and its connection.
'use strict';

const views = {
  study: (view) => { showStudy(view); if (!line.value) fill(byId('reading'), hint()); },
  words: (view) => { page.words = view.words; drawForm(); },
  sieve: showSieve, line: showLine, counts: showCounts, rows: showRows, followed: showFollowed,
  values: showValues, outputs: showOutputs, picture: showPicture,
  spread: (view) => { page.spreads[view.column] = view.spread; redrawColumn(view.column); },
  line_done: () => { page.sent = null; },
  line_named: (view) => { byId('name').value = ''; setLine(view.name); },
  refused: (view) => {
    if (view.act === 'add' || view.act === 'replace') giveBack();
    fill(byId('findings'), showFinding(view.finding, null));
  },
  ended: () => {
    page.ended = true;
    document.querySelectorAll('button, input, textarea, select').forEach((e) => {
      e.disabled = true;
    });
    fill(byId('offer'), 'Done: the steps went back to where the desk was opened. ' +
      'This page can be closed.');
    byId('offer').hidden = false;
  }
};
function connect() {
  const socket = new WebSocket('ws://' + location.host + '/');
  page.socket = socket;
  socket.onopen = () => {
    page.tries = 0;
    byId('lost').hidden = true;
    send('hello');
  };
  socket.onmessage = (message) => {
    const view = JSON.parse(message.data);
    if (views[view.view]) views[view.view](view);
  };
  socket.onclose = () => {
    if (page.ended || page.socket !== socket) return;
    byId('lost').hidden = false;
    page.tries += 1;
    setTimeout(connect, Math.min(5000, 250 * page.tries));
  };
}
addEventListener('pagehide', () => send('leaving'));
addEventListener('pageshow', (e) => { if (e.persisted && page.socket.readyState > 1) connect(); });
byId('undo').addEventListener('click', () => send('undo'));
byId('redo').addEventListener('click', () => send('redo'));
byId('done').addEventListener('click', () => send('done'));
document.querySelectorAll('[data-copy]').forEach((button) => {
  button.addEventListener('click', () => {
    navigator.clipboard.writeText(byId(button.dataset.copy).textContent).then(() => {
      button.textContent = 'Copied';
      setTimeout(() => { button.textContent = 'Copy'; }, 1500);
    });
  });
});
addEventListener('keydown', (e) => {
  if (!e.altKey || e.ctrlKey || e.metaKey) return;
  const act = { z: () => send('undo'), y: () => send('redo'), n: () => byId('name').focus(),
    l: () => line.focus() }[e.key.toLowerCase()];
  if (act) { e.preventDefault(); act(); }
});
grow();
line.focus();
connect();
