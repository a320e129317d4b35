'use strict';
(() => {
  const read = (id) => document.getElementById(id).textContent;
  const words = JSON.parse(read('words')), seal = JSON.parse(read('seal')), content = read('packet');
  const packet = JSON.parse(content), text = (at) => packet.texts[at];
  const STEP = 60, PLACE = 'kathodos ' + seal.signature.slice(0, 40), page = document.getElementById('page');
  const [NUMBER, WHOM, WHAT, OUT, WAY, FACTS, SYSTEMS, ROLES, LESS, LOUD] = [0, 1, 2, 3, 4, 5, 6, 7, 8, 9];
  const FIELDS = { certify: [], reduce: ['until', 'reason'], revoke: ['reason'], correct: ['to', 'reason'], pass: ['to'],
    grant: [], shorten: ['until'], deny: ['reason'], ask: ['say'] };
  const LABELS = { until: () => words.until, reason: () => words.why, say: (decision) => decision === 'ask' ? words.question : words.comment,
    to: (decision) => decision === 'correct' ? words.right : words.whom };
  const CHOICES = [...packet.decisions, ...(packet.passes ? ['pass'] : [])], [KEEPS, TAKES] = packet.passes ? ['certify', 'revoke'] : ['grant', 'deny'];
  const AGREES = ['certify', 'grant', 'shorten'];

  const say = (name, values = {}) => words[name].replace(/\{(\w+)\}/g, (whole, key) => key in values ? values[key] : whole);
  const make = (tag, properties = {}, ...children) => {
    const element = document.createElement(tag);
    for (const [name, value] of Object.entries(properties)) {
      if (name.startsWith('on')) element.addEventListener(name.slice(2), value);
      else if (name in element && name !== 'list') element[name] = value;
      else element.setAttribute(name, value);
    }
    element.append(...children);
    return element;
  };

  // What was decided: for each line decision, until, to, reason, say, at, opened. Each line is kept at a place of its own
  // at once, so that a closed window loses nothing, and of two windows neither undoes what was decided in the other.
  const state = new Map();
  let keeps = true, limit = STEP;
  const byNumber = new Map(packet.lines.map((line, at) => [line[NUMBER], at]));
  const byPlace = new Map(packet.lines.map((line) => [`${PLACE} ${line[NUMBER]}`, line[NUMBER]]));

  const keep = (number) => {
    const place = `${PLACE} ${number}`;
    try {
      if (state.has(number)) localStorage.setItem(place, JSON.stringify(state.get(number))); else localStorage.removeItem(place);
    } catch { if (keeps) { keeps = false; tell(words.not_kept); } }
  };
  const read_kept = () => {
    try {
      const together = JSON.parse(localStorage.getItem(PLACE) || '[]');  // as earlier pages keep it
      for (const [number, own] of together) if (byNumber.has(number)) state.set(number, own);
      for (const [place, number] of byPlace) {
        const kept = localStorage.getItem(place);
        if (kept) state.set(number, JSON.parse(kept));
      }
      localStorage.setItem(PLACE + ' probe', '1');
      localStorage.removeItem(PLACE + ' probe');
      for (const [number] of together) keep(number);
      if (keeps) localStorage.removeItem(PLACE);
    } catch { keeps = false; }
    return state.size > 0;
  };
  addEventListener('storage', ({ key: place, newValue: kept }) => {
    const number = byPlace.get(place);
    if (number === undefined) return;
    if (kept) state.set(number, JSON.parse(kept)); else state.delete(number);
    document.getElementById('line-' + number)?.fill();
    count();
  });

  const own = (number) => state.get(number) || {};
  const speaks_loud = (line) => line[WAY] === 1 && packet.reasons || line[LOUD] === 1;
  const asks = (number, decision) => AGREES.includes(decision) && speaks_loud(packet.lines[byNumber.get(number)]) ? [...FIELDS[decision], 'reason'] : FIELDS[decision];
  const missing = (number, mine = own(number)) => mine.decision ? asks(number, mine.decision).filter((name) => !(mine[name] || '').trim()) : [];
  const is_done = (number) => !!own(number).decision && !missing(number).length;
  const change = (number, values) => {
    const next = { ...own(number), ...values };
    if ('decision' in values) next.at = values.decision ? new Date().toISOString() : '';
    if (next.decision || next.say || next.opened) state.set(number, next); else state.delete(number);
    keep(number);
  };

  // The page
  const status = make('p', { role: 'status', className: 'soft' });
  const tell = (sentence) => { status.textContent = sentence; };
  const progress = make('progress', { max: packet.lines.length, value: 0, 'aria-label': say('done', { done: '', all: '' }).trim() });
  const counted = make('span'), shownNow = make('p', { className: 'soft', 'aria-live': 'polite' });
  const find = make('input', { type: 'search', id: 'find', placeholder: words.find_hint, autocomplete: 'off', oninput: () => anew() });
  const choice = (id, options) => make('select', { id, onchange: () => anew() },
    ...options.map((name) => make('option', { value: name }, words[name])));
  const group = choice('group', ['by_person', 'by_system', 'by_role', 'by_nothing']);
  const show = choice('show', ['all', 'open', 'decided', 'against']);
  const lists = make('main');
  const field = (label, element, wide = '') => make('div', { className: wide }, make('label', { htmlFor: element.id }, label), element);
  const load = make('input', { type: 'file', id: 'load', accept: '.json,application/json', onchange: (event) => go_on(event.target) });
  const days = Math.round((Date.parse(packet.due + 'T00:00:00Z') - Date.parse(new Date().toISOString().slice(0, 10) + 'T00:00:00Z')) / 864e5);
  const left = days > 0 ? say('days_left', { days }) : days ? say('days_late', { days: -days }) : words.last_day;

  page.append(
    make('header', {},
      make('h1', {}, packet.review),
      make('p', {}, `${say('for_whom', { name: packet.name })}. ${say('due', { due: packet.due })} `, make('strong', {}, left)),
      make('p', { className: 'soft' }, words.how),
      ...(packet.undecided ? [make('p', {}, words['undecided_' + packet.undecided])] : []),
      make('p', { className: 'on-paper' }, words.how_print)),
    make('div', { className: 'bar' },
      make('div', { className: 'row' },
        field(words.find, find, 'wide'), field(words.group, group), field(words.show, show),
        make('button', { className: 'main', type: 'button', id: 'save', onclick: () => save() }, words.save)),
      make('div', { className: 'row' }, make('p', {}, progress, ' ', counted), shownNow), status),
    lists,
    make('footer', { className: 'foot' },
      make('p', {}, packet.passes ? words.keys : words.keys_requests), field(words.go_on, load),
      make('p', { className: 'soft' }, `${packet.reviewer}; ${packet.issued}; ${seal.digest.slice(0, 16)}`)));
  document.documentElement.lang = words.lang;

  // What is shown
  const needle = packet.lines.map((line) =>
    [line[NUMBER], text(line[WHOM]), text(line[WHAT]), text(line[OUT]), ...line[FACTS].map(text)].join('\n').toLowerCase());
  const GROUPED = {
    by_person: (line) => [text(line[WHOM])],
    by_system: (line) => line[SYSTEMS].map(text),
    by_role: (line) => line[ROLES].map(text),
    by_nothing: () => [''],
  };
  const wanted = () => {
    const sought = find.value.trim().toLowerCase().split(/\s+/).filter(Boolean), which = show.value, found = [];
    packet.lines.forEach((line, at) => {
      if (which === 'against' && line[WAY] !== 1) return;
      if (which === 'open' && is_done(line[NUMBER])) return;
      if (which === 'decided' && !is_done(line[NUMBER])) return;
      if (sought.every((part) => needle[at].includes(part))) found.push(at);
    });
    return found;
  };
  const grouped = (found) => {
    const groups = new Map(), name = GROUPED[group.value];
    for (const at of found) {
      const key = name(packet.lines[at]).join(', ');
      if (!groups.has(key)) groups.set(key, []);
      groups.get(key).push(at);
    }
    return group.value === 'by_nothing' ? [...groups] : [...groups].sort((a, b) => !a[0] - !b[0] || (a[0] < b[0] ? -1 : 1));
  };

  let groups = [], order = [];
  const anew = () => { limit = STEP; arrange(); };
  const arrange = () => {
    groups = grouped(wanted());
    order = groups.flatMap(([, some]) => some);
    draw();
  };
  const draw = () => {
    const parts = [];
    let room = limit, number = 0;
    for (const [name, some] of groups) {
      if (room <= 0) break;
      const articles = some.slice(0, room).map(article);
      room -= articles.length;
      parts.push(section(name, some, articles, number += 1));
    }
    const shown = Math.min(limit, order.length);
    if (!order.length) parts.push(make('p', {}, words.none));
    if (shown < order.length) {
      parts.push(make('p', { className: 'more-lines' },
        make('button', { type: 'button', id: 'more', onclick: () => grow(STEP) }, say('more', { count: Math.min(STEP, order.length - shown) })), ' ',
        make('button', { type: 'button', onclick: () => grow(Infinity) }, words.show_all)));
    }
    lists.replaceChildren(...parts);
    shownNow.textContent = say('shown', { shown, found: order.length });
    count();
  };
  const grow = (by) => {
    const first = order[limit];
    limit += by;
    draw();
    focus_on(first);
  };
  const count = () => {
    let done = 0;
    for (const line of packet.lines) done += is_done(line[NUMBER]);
    progress.value = done;
    counted.textContent = say('done', { done, all: packet.lines.length });
    progress.textContent = counted.textContent;
    for (const header of lists.querySelectorAll('[data-group]')) {
      const some = groups[+header.dataset.group][1];
      header.textContent = say('group_done', { done: some.filter((at) => is_done(packet.lines[at][NUMBER])).length, all: some.length });
    }
  };
  const section = (name, some, articles, number) => {
    const id = 'group-' + number, why = make('input', { type: 'text', id: id + '-why', 'aria-label': words.why_all, placeholder: words.why_all });
    const all = (decision) => make('button', { type: 'button', onclick: () => decide_all(groups[number - 1][1], decision, why),
      'aria-label': `${say('whole_group', { count: some.length })}: ${words[decision]}` }, words[decision]);
    const head = make('header', {},
      make('h2', { id }, name || (group.value === 'by_nothing' ? packet.review : words.without)),
      make('div', { className: 'acts' }, make('span', { className: 'soft', 'data-group': number - 1 }),
        ...(some.length > 1 ? [make('span', {}, say('whole_group', { count: some.length }) + ':'), why, all(KEEPS), all(TAKES)] : [])));
    return make('section', { className: 'group', 'aria-labelledby': id }, head, ...articles);
  };
  const decide_all = (some, decision, why) => {
    const reason = why.value.trim();
    if (!reason && FIELDS[decision].includes('reason')) { tell(words.why_first); why.focus(); return; }
    for (const at of some) {
      const number = packet.lines[at][NUMBER];
      if (!own(number).decision) change(number, { decision, ...(reason ? { reason } : {}) });
    }
    draw();
    focus_on(some[0]);
  };

  const article = (at) => {
    const line = packet.lines[at], number = line[NUMBER], id = 'line-' + number;
    const box = make('article', { id, tabIndex: 0, 'aria-labelledby': id + '-what' });
    const fill = () => {
      const mine = own(number), way = line[WAY];
      const facts = make('details', { open: false, ontoggle: (event) => { if (event.target.open && !own(number).opened) change(number, { opened: true }); } },
        make('summary', {}, words.evidence), make('ul', {}, ...line[FACTS].map((it) => make('li', {}, text(it)))));
      if (limit === Infinity && printing) facts.open = true;
      const radios = CHOICES.filter((it) => it !== 'reduce' || line[LESS]).map((decision) => {
        const input = make('input', { type: 'radio', name: 'd' + number, value: decision, checked: mine.decision === decision,
          onchange: () => decide(at, decision) });
        return make('label', { title: words[decision + '_hint'] || '' }, input, words[decision]);
      });
      const set = make('fieldset', {}, make('legend', { className: 'hidden' }, `${words.decision}, ${say(packet.passes ? 'line' : 'request_line', { number })}`), ...radios);
      if (mine.decision) set.append(make('button', { type: 'button', onclick: () => { change(number, { decision: '' }); refresh(at); } }, words.clear));
      const asked = [...(mine.decision ? FIELDS[mine.decision] : []), ...(mine.decision !== 'ask' && (mine.decision || mine.say) ? ['say'] : [])];
      if (mine.decision === 'pass' || AGREES.includes(mine.decision)) asked.splice(asked.indexOf('say'), 0, 'reason');
      const fields = asked.map((name) => make('label', {}, LABELS[name](mine.decision),
        make('input', { type: name === 'until' ? 'date' : 'text', value: mine[name] || '', 'data-field': name,
          oninput: (event) => { change(number, { [name]: event.target.value }); note(); } })));
      const needs = make('p', { className: 'needs' });
      const note = () => {
        const lacking = missing(number).map((name) => LABELS[name](own(number).decision));
        needs.textContent = lacking.length ? say('needs', { what: lacking.join(' ') }) : '';
        box.className = is_done(number) ? 'done' : '';
        count();
      };
      const out = way === 1 ? [make('b', {}, words.speaks_against), ' '] : [];
      box.replaceChildren(
        make('div', { className: 'top' }, make('h3', { id: id + '-what' }, text(line[WHAT])),
          make('span', { className: 'soft' }, say(packet.passes ? 'line' : 'request_line', { number }))),
        ...(group.value === 'by_person' ? [] : [make('p', {}, text(line[WHOM]))]),
        ...(text(line[OUT]) ? [make('p', { className: way === 1 ? 'out look' : 'out' }, ...out, text(line[OUT]))] : []),
        facts, set, ...(fields.length ? [make('div', { className: 'more' }, ...fields)] : []), needs);
      const lacking = missing(number).map((name) => LABELS[name](mine.decision));
      needs.textContent = lacking.length ? say('needs', { what: lacking.join(' ') }) : '';
      box.className = is_done(number) ? 'done' : '';
    };
    box.fill = fill;
    box.addEventListener('keydown', (event) => key(event, at));
    fill();
    return box;
  };
  const refresh = (at, part) => {
    const box = document.getElementById('line-' + packet.lines[at][NUMBER]);
    if (box) { box.fill(); (part && box.querySelector(part) || box).focus(); }
    count();
  };
  const decide = (at, decision) => {
    change(packet.lines[at][NUMBER], { decision });
    const needs = missing(packet.lines[at][NUMBER]);
    refresh(at, needs.length ? `[data-field=${needs[0]}]` : `input[value=${decision}]`);
  };
  const focus_on = (at, part) => {
    if (at === undefined) return;
    const box = document.getElementById('line-' + packet.lines[at][NUMBER]);
    if (box) (part && box.querySelector(part) || box).focus();
  };
  const key = (event, at) => {
    const typing = event.target.matches('input[type=text], input[type=date]');
    if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
    const next = (by) => { const to = order[order.indexOf(at) + by]; if (to !== undefined) { if (order.indexOf(to) >= limit) { limit += STEP; draw(); } focus_on(to); } };
    const acts = { ...(packet.passes ? { c: () => decide(at, KEEPS), r: () => decide(at, TAKES) } : { g: () => decide(at, KEEPS), d: () => decide(at, TAKES) }), n: () => next(1), p: () => next(-1),
      u: () => { change(packet.lines[at][NUMBER], { decision: '' }); refresh(at); },
      e: () => { const box = event.currentTarget.querySelector('details'); box.open = !box.open; }, '/': () => find.focus() };
    const act = acts[event.key.toLowerCase()];
    if (act) { event.preventDefault(); act(); }
  };

  // On paper everything stands
  let printing = false, before = STEP;
  addEventListener('beforeprint', () => { printing = true; before = limit; limit = Infinity; draw(); });
  addEventListener('afterprint', () => { printing = false; limit = before; draw(); });

  // Answers
  const save = () => {
    const answers = [], open = [];
    for (const line of packet.lines) {
      const number = line[NUMBER], mine = own(number);
      if (!mine.decision && !mine.say) continue;
      if (missing(number).length) { open.push(number); continue; }
      const used = mine.decision ? [...FIELDS[mine.decision], 'reason'] : [];
      const answer = { line: number, decision: mine.decision || '', opened: !!mine.opened };
      for (const name of ['until', 'to', 'reason']) if (used.includes(name) && (mine[name] || '').trim()) answer[name] = mine[name].trim();
      if ((mine.say || '').trim()) answer.say = mine.say.trim();
      if (mine.at) answer.at = mine.at;
      answers.push(answer);
    }
    if (!answers.length) { tell(open.length ? say('unfinished', { count: open.length, number: open[0] }) : words.nothing_yet); return; }
    const whole = { form: 'kathodos answers 1', seal, digest: sha256(content), answers, saved: new Date().toISOString() };
    const name = `answers-${packet.review}-${packet.reviewer}.json`.replace(/[^A-Za-z0-9._-]+/g, '-');
    const link = make('a', { href: URL.createObjectURL(new Blob([JSON.stringify(whole)], { type: 'application/json' })), download: name });
    document.body.append(link); link.click(); link.remove();
    setTimeout(() => URL.revokeObjectURL(link.href), 10000);
    tell(say(packet.passes ? 'saved' : 'saved_requests', { file: name }) + (open.length ? ' ' + say('unfinished', { count: open.length, number: open[0] }) : ''));
  };
  const go_on = async (input) => {
    try {
      const whole = JSON.parse(await input.files[0].text());
      if (whole.seal.signature !== seal.signature) throw new Error('foreign');
      let count_of = 0;
      for (const { line, decision, until, to, reason, say: told, at, opened } of whole.answers) {
        if (!byNumber.has(line) || (decision && !CHOICES.includes(decision))) continue;
        const texts = Object.entries({ until, to, reason, say: told, at }).filter(([, value]) => typeof value === 'string');
        state.set(line, { decision: decision || '', opened: opened === true, ...Object.fromEntries(texts) });
        keep(line);
        count_of += 1;
      }
      draw(); tell(say('taken', { count: count_of }));
    } catch { tell(words.not_ours); }
    input.value = '';
  };

  // SHA-256 (FIPS 180-4) of a text in ASCII: a page that was opened from a disk may not have the browser's own.
  const sha256 = (ascii) => {
    const primes = [], K = [], H = [];
    for (let n = 2; primes.length < 64; n += 1) if (primes.every((p) => n % p)) primes.push(n);
    const part = (x) => ((x - Math.floor(x)) * 4294967296) | 0;
    for (const p of primes) { K.push(part(Math.cbrt(p))); if (H.length < 8) H.push(part(Math.sqrt(p))); }
    const size = ascii.length, bytes = new Uint8Array(((size + 8 >> 6) + 1) << 6), W = new Int32Array(64);
    for (let i = 0; i < size; i += 1) bytes[i] = ascii.charCodeAt(i);
    bytes[size] = 0x80;
    new DataView(bytes.buffer).setUint32(bytes.length - 4, size << 3);
    new DataView(bytes.buffer).setUint32(bytes.length - 8, Math.floor(size / 536870912));
    const view = new DataView(bytes.buffer), turn = (x, n) => (x >>> n) | (x << (32 - n));
    for (let at = 0; at < bytes.length; at += 64) {
      for (let i = 0; i < 16; i += 1) W[i] = view.getInt32(at + 4 * i);
      for (let i = 16; i < 64; i += 1) {
        const a = W[i - 15], b = W[i - 2];
        W[i] = W[i - 16] + W[i - 7] + (turn(a, 7) ^ turn(a, 18) ^ (a >>> 3)) + (turn(b, 17) ^ turn(b, 19) ^ (b >>> 10)) | 0;
      }
      let [a, b, c, d, e, f, g, h] = H;
      for (let i = 0; i < 64; i += 1) {
        const one = h + (turn(e, 6) ^ turn(e, 11) ^ turn(e, 25)) + ((e & f) ^ (~e & g)) + K[i] + W[i] | 0;
        const two = (turn(a, 2) ^ turn(a, 13) ^ turn(a, 22)) + ((a & b) ^ (a & c) ^ (b & c)) | 0;
        h = g; g = f; f = e; e = d + one | 0; d = c; c = b; b = a; a = one + two | 0;
      }
      [a, b, c, d, e, f, g, h].forEach((x, i) => { H[i] = H[i] + x | 0; });
    }
    return H.map((x) => (x >>> 0).toString(16).padStart(8, '0')).join('');
  };

  const had = read_kept();
  arrange();
  tell(!keeps ? words.not_kept : had ? words.kept : '');
})();
