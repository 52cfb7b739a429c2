// Pages that have all the words that are typed, those with them in their name first. `pages` stands
// in index.js. Without scripts the list of all pages is there to read.
(function () {
  var form = document.querySelector('.search'), field = form && form.querySelector('input');
  if (!field || !window.pages) return;
  form.hidden = false;
  var list = document.createElement('ul');
  list.id = 'found';
  list.hidden = true;
  form.appendChild(list);
  var status = document.createElement('p');
  status.setAttribute('role', 'status');
  status.className = 'skip';
  form.appendChild(status);
  var rank = function (page, words) {
    var name = (page.name + ' ' + page.title).toLowerCase(), all = name + ' ' + page.words;
    if (!words.every(function (w) { return all.indexOf(w) >= 0; })) return 0;
    return 1 + words.filter(function (w) { return name.indexOf(w) >= 0; }).length +
      (page.name.toLowerCase() === words.join(' ') ? 5 : 0);
  };
  field.addEventListener('input', function () {
    var words = field.value.toLowerCase().replace(/[()]/g, '').split(/\s+/).filter(Boolean);
    var found = !words.length ? [] : window.pages.map(function (p) { return [rank(p, words), p]; })
      .filter(function (f) { return f[0]; })
      .sort(function (a, b) { return b[0] - a[0] || a[1].name.localeCompare(b[1].name); })
      .slice(0, 8);
    list.textContent = '';
    found.forEach(function (f) {
      var item = document.createElement('li'), link = document.createElement('a');
      var small = document.createElement('small');
      link.href = f[1].file;
      link.textContent = f[1].name;
      small.textContent = f[1].title;
      link.appendChild(small);
      item.appendChild(link);
      list.appendChild(item);
    });
    list.hidden = !found.length;
    status.textContent = words.length ? found.length + ' pages found' : '';
  });
  form.addEventListener('submit', function (e) {
    e.preventDefault();
    var first = list.querySelector('a');
    if (first) location.href = first.href;
  });
  field.addEventListener('keydown', function (e) {
    if (e.key === 'Escape') { field.value = ''; list.hidden = true; }
  });
  var wide = window.matchMedia && window.matchMedia('(min-width: 64rem)');
  var contents = document.querySelector('aside details');
  if (contents && wide) {
    contents.open = wide.matches;
    if (wide.addEventListener) {
      wide.addEventListener('change', function () { contents.open = wide.matches; });
    }
  }
})();
