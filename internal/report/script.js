'use strict';
(() => {
  const $ = (s, at = document) => at.querySelector(s), all = (s, at = document) => [...at.querySelectorAll(s)];
  const data = JSON.parse($('#data').textContent);
  const known = new Set(data.known), form = $('#path'), answer = $('#answer');
  const element = (tag, text, at) => { const e = document.createElement(tag); if (text !== undefined) e.textContent = text; if (at) at.append(e); return e; };

  // Which rows tell of a name.
  let told;
  const rowsOf = name => {
    if (!told) {
      told = new Map();
      for (const row of all('main tbody tr')) {
        const words = new Set();
        for (const cell of row.cells) {
          if (known.has(cell.textContent)) words.add(cell.textContent);
          for (const w of cell.textContent.split(/[\s,;()]+/)) {
            if (known.has(w)) words.add(w);
            const owner = w.split(':')[0];
            if (owner !== w && known.has(owner)) words.add(owner);
          }
        }
        for (const w of words) { if (!told.has(w)) told.set(w, []); told.get(w).push(row); }
      }
    }
    return told.get(name) || [];
  };

  const word = n => data.words[n];
  const names = shape => (shape.dataset.of || '').split(' ').map(n => n.replaceAll('\u00a0', ' '));
  const facts = $('#facts');
  let opener;
  const close = () => { facts.hidden = true; all('.on').forEach(e => e.classList.remove('on')); if (location.hash.startsWith('#of=')) history.replaceState(null, '', location.pathname + location.search); if (opener) opener.focus(); opener = undefined; };
  const show = name => {
    if (!known.has(name)) return;
    all('.on').forEach(e => e.classList.remove('on'));
    all('svg [data-of]').forEach(e => { if (names(e).includes(name)) e.classList.add('on'); });
    $('h2', facts).textContent = name;
    const body = $('div', facts);
    body.replaceChildren();
    const cut = data.cuts.find(n => word(n) === name);
    if (cut !== undefined) { // a cable: what cutting it takes
      const of = p => `${word(p.f)} to ${word(p.t)}`, works = new Set(data.pairs.filter(p => p.c === undefined && p.r < 0).map(p => of(p) + p.v));
      const lost = data.pairs.filter(p => p.c === cut && p.r >= 0 && works.has(of(p) + p.v)), other = data.pairs.filter(p => p.c === cut && p.r < 0);
      const gone = [...new Set(lost.map(of))];
      element('p', gone.length ? `Cut it, and ${gone.length} pairs of devices no longer reach each other.` : 'Cut it, and nobody is cut off.', body).className = gone.length ? 'ill' : 'well';
      if (other.length) element('p', `${new Set(other.map(of)).size} pairs go by another path.`, body);
      if (gone.length) element('p', gone.slice(0, 12).join(', ') + (gone.length > 12 ? ` and ${gone.length - 12} more` : ''), body);
      const b = element('button', 'show a path while it is cut', body);
      b.type = 'button';
      b.addEventListener('click', () => { const first = lost[0] || other[0] || data.pairs[0]; close(); form.cut.value = name; if (first) { form.from.value = word(first.f); form.to.value = word(first.t); form.family.value = first.v; form.requestSubmit(); } form.scrollIntoView(); });
      all('#failing rect[data-of], #look rect[data-of]').forEach(r => { if (lost.some(p => names(r).includes(word(p.t)))) r.classList.add('on'); });
    }
    const most = 200, by = new Map();
    for (const row of rowsOf(name)) { row.classList.add('on'); const s = row.closest('section'); if (!by.has(s)) by.set(s, []); by.get(s).push(row); }
    const order = ['devices', 'segments', 'blocks', 'addresses', 'interfaces', 'cables', 'vlans', 'routes', 'permits', 'translations', 'managed'];
    const place = s => (order.indexOf(s.id) + order.length + 1) % (order.length + 1); // its own facts first, then what else tells of it
    for (const [section, rows] of [...by].sort((a, b) => place(a[0]) - place(b[0]))) {
      element('h3', $('h2', section).textContent, body);
      const t = element('table', undefined, body);
      const head = element('tr', undefined, element('thead', undefined, t));
      for (const th of all('th', section)) element('th', th.textContent, head).scope = 'col';
      const tb = element('tbody', undefined, t);
      for (const row of rows.slice(0, most)) { const copy = row.cloneNode(true); copy.className = ''; copy.hidden = false; tb.append(copy); }
      if (rows.length > most) element('p', `and ${rows.length - most} more`, body);
    }
    if (by.size === 0) element('p', 'nothing more is told of it', body);
    facts.hidden = false;
    $('.close', facts).focus({preventScroll: true});
  };
  $('.close', facts).addEventListener('click', close);
  const ofHash = () => { if (location.hash.startsWith('#of=')) show(decodeURIComponent(location.hash.slice(4))); };
  addEventListener('hashchange', ofHash);

  // Shapes of the pictures are buttons: what is told of the first name they have.
  const pick = shape => { opener = shape; history.replaceState(null, '', '#of=' + encodeURIComponent(names(shape)[0])); show(names(shape)[0]); };
  for (const svg of all('svg')) if ($('rect[data-of]', svg)) svg.setAttribute('role', 'group'); // what holds buttons is no image
  for (const shape of all('svg rect[data-of]')) {
    shape.setAttribute('tabindex', '0');
    shape.setAttribute('role', 'button');
    shape.setAttribute('aria-label', names(shape)[0]);
    shape.addEventListener('click', () => pick(shape));
    shape.addEventListener('keydown', e => { if (e.key === 'Enter' || e.key === ' ') { e.preventDefault(); pick(shape); } });
  }
  // A text over a shape passes clicks to it: the name itself, if it is one.
  for (const text of all('svg text')) text.addEventListener('click', e => {
    const name = text.textContent.trim().split(/[\s:,]+/).reverse().find(w => known.has(w));
    if (name) { opener = text; history.replaceState(null, '', '#of=' + encodeURIComponent(name)); show(name); return; }
    text.style.pointerEvents = 'none';
    const below = document.elementFromPoint(e.clientX, e.clientY);
    text.style.pointerEvents = '';
    if (below && below.dataset.of) pick(below);
  });

  addEventListener('keydown', e => { if (e.key === 'Escape' && !facts.hidden) close(); });
  for (const b of all('.size')) b.addEventListener('click', () => { b.textContent = b.parentElement.classList.toggle('full') ? 'fit' : 'full size'; });

  // Tables sort by any column: numbers and addresses as numbers.
  const key = s => s.toLowerCase().replace(/\d+/g, n => n.padStart(12, '0'));
  for (const th of all('thead th')) $('button', th)?.addEventListener('click', () => {
    const n = th.cellIndex, body = $('tbody', th.closest('table'));
    const down = th.getAttribute('aria-sort') === 'ascending';
    for (const o of all('th', th.closest('tr'))) o.removeAttribute('aria-sort');
    th.setAttribute('aria-sort', down ? 'descending' : 'ascending');
    const rows = [...body.rows].map(r => [key(r.cells[n].textContent), r]).sort((a, b) => (a[0] < b[0] ? -1 : a[0] > b[0] ? 1 : 0) * (down ? -1 : 1));
    body.append(...rows.map(r => r[1]));
  });

  // Search hides the rows that do not have the text.
  let waiting;
  $('#search').addEventListener('input', () => { clearTimeout(waiting); waiting = setTimeout(search, 120); });
  $('#search').addEventListener('submit', e => { e.preventDefault(); search(); });
  const search = () => {
    const text = $('#search input').value.trim().toLowerCase();
    let found = 0, tables = 0;
    for (const section of all('main section')) {
      let here = 0;
      for (const row of all('tbody tr', section)) { row.hidden = text !== '' && !row.textContent.toLowerCase().includes(text); if (!row.hidden) here++; }
      if (here && text) tables++;
      found += here;
      const table = $('.table', section);
      if (table) section.hidden = text !== '' && here === 0 && !$('figure', section);
    }
    $('#search output').textContent = text ? `${found} ${found === 1 ? 'row' : 'rows'} in ${tables} ${tables === 1 ? 'table' : 'tables'}` : '';
  };

  // The predicted path between two devices.
  for (const n of data.ends) element('option', undefined, $('#ends')).value = word(n);
  if (form && data.cuts.length) { $('#cut').hidden = false; for (const n of data.cuts) element('option', word(n), form.cut).value = word(n); }
  if (data.why && form) { form.hidden = true; element('p', data.why + "; 'ropeswing draw path A B' draws one", answer); }
  const wipe = () => { all('.copy').forEach(e => e.remove()); all('.there,.back,.broken').forEach(e => e.classList.remove('there', 'back', 'broken')); all('.faded').forEach(e => e.classList.remove('faded')); answer.replaceChildren(); };
  const draw = (hops, kind) => {
    const picture = $('#subnets');
    if (!picture) return;
    for (let i = 0; i + 1 < hops.length; i++) {
      const [a, s] = hops[i], b = hops[i + 1][0];
      if (s < 0) continue;
      for (const line of all('svg polyline[data-of]', picture)) {
        const of = names(line);
        if (of.includes(word(s)) && (of.includes(word(a)) || of.includes(word(b)))) {
          if (kind === 'there') line.classList.add('there');
          else { const copy = line.cloneNode(); copy.classList.remove('there'); copy.classList.add('back', 'copy'); copy.setAttribute('transform', 'translate(6 3)'); line.after(copy); }
        }
      }
    }
  };
  form?.addEventListener('reset', wipe);
  form?.addEventListener('submit', e => {
    e.preventDefault();
    wipe();
    const from = form.from.value.trim(), to = form.to.value.trim(), family = +form.family.value;
    for (const name of [from, to]) if (!data.ends.some(n => word(n) === name)) { element('p', `there is no device ${name}`, answer).className = 'why'; return; }
    if (from === to) { element('p', 'name two different devices', answer).className = 'why'; return; }
    const cut = form.cut.value;
    const pairs = data.pairs.filter(p => word(p.f) === from && word(p.t) === to && p.v === family);
    const pair = pairs.find(p => cut && p.c !== undefined && word(p.c) === cut) || pairs.find(p => p.c === undefined); // what is not there is as without a cut
    if (!pair) { element('p', `${from} and ${to} have no addresses of IPv${family} to ask with`, answer).className = 'why'; return; }
    element('p', `${from} ${pair.w} ${to} in IPv${family}` + (cut ? ` while ${cut} is cut` : '') + (pair.m ? ', by equal-cost paths, of which this is one' : ''), answer).className = pair.r < 0 ? 'well' : 'ill';
    if (pair.r >= 0) element('p', word(pair.r), answer).className = 'why';
    const paths = element('div', undefined, answer);
    paths.className = 'paths';
    for (const [hops, kind, title] of [[pair.a, 'there', 'there (solid)'], [pair.b, 'back', 'back (dashed)']]) {
      if (!hops.length) continue;
      const box = element('div', undefined, paths);
      element('h3', title, box);
      const list = element('ol', undefined, box);
      for (const [d, s, m] of hops) element('li', word(d) + (m >= 0 ? ': ' + word(m) : '') + (s >= 0 ? ' over ' + word(s) : ''), list);
      draw(hops, kind);
    }
    const picture = $('#subnets');
    if (!picture) return;
    picture.classList.add('faded');
    if (pair.r >= 0) {
      const last = pair.b.length ? pair.b : pair.a, at = word(last[last.length - 1][0]);
      all('svg rect[data-of]', picture).filter(r => names(r).includes(at)).forEach(r => r.classList.add('broken'));
    }
    picture.scrollIntoView({block: 'nearest'});
  });
  for (const s of all('main section')) if (all('tbody tr', s).length > 60) s.classList.add('large');
  ofHash();
})();
