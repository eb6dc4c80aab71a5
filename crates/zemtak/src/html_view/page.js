'use strict';
// Draws one atlas: pages on a canvas that zooms about the pointer, a list of names, the values of what is selected, and clips.
const atlas = JSON.parse(document.getElementById('atlas').textContent);
const $ = id => document.getElementById(id);
const names = Object.keys(atlas.sprites), clips = Object.keys(atlas.clips);
// Marks must be seen on what lies behind the sprites, whatever the page's own colours are.
const marks = { dark: { box: '#6fc2c9', turned: '#c99af0', lantern: '#f2b45a', faint: '#aab0cc', under: '#14182c' }, light: { box: '#0f6d76', turned: '#7440a8', lantern: '#9a5b00', faint: '#565c74', under: '#ffffff' } };
const colour = name => marks[state.ground === 'day' || state.ground === 'white' ? 'light' : 'dark'][name];
const state = { page: 0, scale: 1, x: 0, y: 0, selected: null, clip: null, hard: true, layers: { boxes: true, names: false, pivots: false, rings: false, waste: true }, ground: 'checker' };
const stage = $('stage'), pen = stage.getContext('2d');
const images = atlas.pages.map(page => { const image = new Image(); image.onload = draw; image.src = page.data; return image; });
const onPage = atlas.pages.map(() => []);
for (const name of names) onPage[atlas.sprites[name].page].push(name);

let asked = false;
function draw() { if (!asked) { asked = true; requestAnimationFrame(() => { asked = false; paint(); }); } }

function fit() {
  const page = atlas.pages[state.page], w = stage.clientWidth - 40, h = stage.clientHeight - 40;
  const scale = Math.min(w / page.width, h / page.height);
  state.scale = scale >= 1 ? Math.floor(scale) : scale;
  state.x = (stage.clientWidth - page.width * state.scale) / 2;
  state.y = (stage.clientHeight - page.height * state.scale) / 2;
  draw();
}

function ground(context, x, y, w, h) {
  const kinds = { night: '#14182c', day: '#f2efe6', black: '#000000', white: '#ffffff' };
  context.fillStyle = kinds[state.ground] || '#2a3050';
  context.fillRect(x, y, w, h);
  if (state.ground !== 'checker') return;
  context.fillStyle = '#20264a';
  const side = 12;
  context.save();
  context.beginPath(); context.rect(x, y, w, h); context.clip();
  const left = Math.max(x, 0), top = Math.max(y, 0), right = Math.min(x + w, context.canvas.width), bottom = Math.min(y + h, context.canvas.height);
  for (let j = Math.floor((top - y) / side); y + j * side < bottom; j++)
    for (let i = Math.floor((left - x) / side); x + i * side < right; i++)
      if ((i + j) % 2) context.fillRect(x + i * side, y + j * side, side, side);
  context.restore();
}

function paint() {
  const ratio = devicePixelRatio || 1, width = stage.clientWidth, height = stage.clientHeight;
  if (stage.width !== Math.round(width * ratio) || stage.height !== Math.round(height * ratio)) { stage.width = Math.round(width * ratio); stage.height = Math.round(height * ratio); }
  pen.setTransform(ratio, 0, 0, ratio, 0, 0);
  pen.clearRect(0, 0, width, height);
  const page = atlas.pages[state.page], { scale: s, x, y } = state;
  ground(pen, x, y, page.width * s, page.height * s);
  if (state.layers.waste) hatch(page);
  pen.imageSmoothingEnabled = !state.hard || s < 1;
  if (images[state.page].complete) pen.drawImage(images[state.page], x, y, page.width * s, page.height * s);
  const ring = page.extrude, seen = b => x + (b[0] + b[2]) * s > 0 && y + (b[1] + b[3]) * s > 0 && x + b[0] * s < width && y + b[1] * s < height;
  pen.font = '12px system-ui, sans-serif';
  const shown = onPage[state.page].filter(name => seen(atlas.sprites[name].box)), of = name => atlas.sprites[name].box;
  const grown = name => { const b = of(name); return [b[0] - ring, b[1] - ring, b[2] + 2 * ring, b[3] + 2 * ring]; };
  if (state.layers.rings) frames(shown.map(grown), colour('faint'), 1);
  if (state.layers.boxes) for (const turned of [false, true]) frames(shown.filter(name => atlas.sprites[name].turned === turned).map(of), colour(turned ? 'turned' : 'box'), 1);
  for (const name of shown) {
    const sprite = atlas.sprites[name], b = sprite.box, chosen = name === state.selected;
    if (chosen) frames([b], colour('lantern'), 3);
    if (state.layers.names && b[2] * s > 40 && b[3] * s > 18) label(name, b);
    if (state.layers.pivots || chosen) cross(onStage(sprite, sprite.pivot));
    if (chosen) for (const point of Object.values(sprite.points || {})) cross(onStage(sprite, point), colour('box'));
  }
}

function frames(boxes, stroke, width) {
  pen.strokeStyle = stroke; pen.lineWidth = width;
  for (const [x, y, w, h] of boxes) pen.strokeRect(state.x + x * state.scale + .5, state.y + y * state.scale + .5, w * state.scale - 1, h * state.scale - 1);
}

function label(name, [bx, by, bw]) {
  let text = name;
  while (text.length > 1 && pen.measureText('…' + text).width > bw * state.scale - 8) text = text.slice(1);
  if (text !== name) text = '…' + text;
  const x = state.x + bx * state.scale + 2, y = state.y + by * state.scale + 2;
  pen.fillStyle = '#14182cdd'; pen.fillRect(x, y, pen.measureText(text).width + 6, 16);
  pen.fillStyle = '#eceaf4'; pen.fillText(text, x + 3, y + 12);
}

function cross([x, y], stroke = colour('lantern')) {
  for (const [style, width] of [[colour('under'), 3], [stroke, 1]]) {
    pen.strokeStyle = style; pen.lineWidth = width;
    pen.beginPath(); pen.moveTo(x - 6, y); pen.lineTo(x + 6, y); pen.moveTo(x, y - 6); pen.lineTo(x, y + 6); pen.stroke();
  }
}

// A canvas point of a sprite on the stage, where its box lies; pixel (i, j) of an upright box lies at (h - 1 - j, i) of a turned one.
function onStage(sprite, [cx, cy]) {
  const [ux, uy] = [cx - sprite.inset[0], cy - sprite.inset[1]], b = sprite.box;
  const [px, py] = sprite.turned ? [b[2] - uy, ux] : [ux, uy];
  return [state.x + (b[0] + px) * state.scale, state.y + (b[1] + py) * state.scale];
}

function hatch(page) {
  pen.save();
  pen.beginPath();
  pen.rect(state.x, state.y, page.width * state.scale, page.height * state.scale);
  for (const name of onPage[state.page]) {
    const [bx, by, bw, bh] = atlas.sprites[name].box, e = page.extrude;
    pen.rect(state.x + (bx - e) * state.scale, state.y + (by - e) * state.scale, (bw + 2 * e) * state.scale, (bh + 2 * e) * state.scale);
  }
  pen.clip('evenodd');
  pen.strokeStyle = '#7680b080'; pen.lineWidth = 1;
  pen.beginPath();
  const w = stage.clientWidth, h = stage.clientHeight;
  for (let d = -h; d < w; d += 9) { pen.moveTo(d, h); pen.lineTo(d + h, 0); }
  pen.stroke();
  pen.restore();
}

function zoomAt(factor, px, py) {
  const scale = Math.min(64, Math.max(.05, state.scale * factor)), by = scale / state.scale;
  state.x = px - (px - state.x) * by; state.y = py - (py - state.y) * by; state.scale = scale;
  draw();
}

const pointers = new Map();
let moved = 0;
stage.addEventListener('pointerdown', e => { stage.setPointerCapture(e.pointerId); pointers.set(e.pointerId, [e.offsetX, e.offsetY]); moved = 0; });
stage.addEventListener('pointermove', e => {
  const before = pointers.get(e.pointerId);
  if (!before) { hover(e.offsetX, e.offsetY); return; }
  const now = [e.offsetX, e.offsetY];
  if (pointers.size === 2) {
    const other = [...pointers.entries()].find(([id]) => id !== e.pointerId)[1];
    const far = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]);
    zoomAt(far(now, other) / Math.max(1, far(before, other)), (now[0] + other[0]) / 2, (now[1] + other[1]) / 2);
  } else { state.x += now[0] - before[0]; state.y += now[1] - before[1]; }
  moved += Math.abs(now[0] - before[0]) + Math.abs(now[1] - before[1]);
  pointers.set(e.pointerId, now);
  draw();
});
for (const over of ['pointerup', 'pointercancel']) stage.addEventListener(over, e => {
  pointers.delete(e.pointerId);
  if (over === 'pointerup' && moved < 4) { const name = at(e.offsetX, e.offsetY); if (name) select(name); }
});
stage.addEventListener('wheel', e => { e.preventDefault(); zoomAt(Math.exp(-e.deltaY * .0015), e.offsetX, e.offsetY); }, { passive: false });

function at(px, py) {
  const [x, y] = [(px - state.x) / state.scale, (py - state.y) / state.scale];
  return onPage[state.page].find(name => { const b = atlas.sprites[name].box; return x >= b[0] && y >= b[1] && x < b[0] + b[2] && y < b[1] + b[3]; });
}

function hover(px, py) { const name = at(px, py); stage.title = name || ''; }

function cell(key, value) {
  const row = document.createElement('tr'), head = document.createElement('th'), data = document.createElement('td');
  head.scope = 'row'; head.textContent = key; data.textContent = value; row.append(head, data); return row;
}

const numbers = list => list.map(n => +n.toPrecision(9)).join(', ');
let copied = '';
function select(name, go = false) {
  const sprite = atlas.sprites[name];
  state.selected = name;
  if (sprite.page !== state.page) { state.page = sprite.page; $('page').value = sprite.page; fit(); }
  if (go) { const b = sprite.box; state.x = stage.clientWidth / 2 - (b[0] + b[2] / 2) * state.scale; state.y = stage.clientHeight / 2 - (b[1] + b[3] / 2) * state.scale; }
  const [u0, v0, u1, v1] = sprite.uv;
  copied = numbers(sprite.uv);
  const rows = [['page', `${sprite.page} (${atlas.pages[sprite.page].file})`], ['box', numbers(sprite.box) + (sprite.turned ? ', turned' : '')], ['canvas', sprite.canvas.join(' x ')], ['inset', numbers(sprite.inset)], ['pivot', numbers(sprite.pivot)], ['UV, v down', copied], ['UV, v up', numbers([u0, 1 - v0, u1, 1 - v1])]];
  for (const [point, place] of Object.entries(sprite.points || {})) rows.push(['point ' + point, numbers(place)]);
  if (sprite.stretch) rows.push(['stretch', numbers(sprite.stretch)]);
  if (sprite.tags) rows.push(['tags', sprite.tags.join(', ')]);
  const of = clips.filter(clip => atlas.clips[clip].steps.some(step => step.sprite === name));
  if (of.length) rows.push(['clips', of.join(', ')]);
  $('name').textContent = name;
  $('values').replaceChildren(...rows.map(([key, value]) => cell(key, value)));
  $('copy').disabled = false;
  $('said').textContent = `${name} selected`;
  mark('sprites', name);
  if (of.length && state.clip === null) choose(of[0]);
  draw();
}

function mark(list, name) {
  for (const button of $(list).querySelectorAll('[aria-current]')) button.removeAttribute('aria-current');
  const button = [...$(list).querySelectorAll('button')].find(button => button.dataset.name === name);
  if (button) { button.setAttribute('aria-current', 'true'); button.scrollIntoView({ block: 'nearest' }); }
}

// What is seen first is there at once; the rest of thousands follows piece by piece.
const PIECE = 300, latest = {};
function list(id, all, choose, chosen) {
  const search = $('search').value.toLowerCase(), found = all.filter(name => name.toLowerCase().includes(search));
  const mine = latest[id] = {};
  $(id).replaceChildren();
  $(id + '-count').textContent = found.length;
  const more = from => {
    if (latest[id] !== mine) return;
    $(id).append(...found.slice(from, from + PIECE).map(name => {
      const item = document.createElement('li'), button = document.createElement('button');
      button.type = 'button'; button.textContent = button.dataset.name = name; button.onclick = () => choose(name, true);
      item.append(button); return item;
    }));
    if (from + PIECE < found.length) setTimeout(more, 0, from + PIECE); else if (chosen()) mark(id, chosen());
  };
  more(0);
}
function lists() { list('sprites', names, select, () => state.selected); list('clips', clips, choose, () => state.clip); }

// A clip: each sprite on its canvas, pivots on one point.
const screen = $('clip').getContext('2d');
let step = 0, playing = false, since = 0;
function order(clip) { const turns = clip.steps.map((_, n) => n); return clip.mode === 'bounce' && turns.length > 2 ? turns.concat(turns.slice(1, -1).reverse()) : turns; }
function duration(clip, turn) {
  const ms = clip.steps[turn].ms; if (ms !== undefined) return ms;
  const [over, under] = String(clip.fps).split('/'); return 1000 * (under || 1) / over;
}
function choose(name) { state.clip = name; step = 0; playing = !matchMedia('(prefers-reduced-motion: reduce)').matches; since = 0; $('clip-name').textContent = name; for (const id of ['play', 'back', 'next', 'onion']) $(id).disabled = false; mark('clips', name); tick(); }
function tick(now) {
  const clip = atlas.clips[state.clip]; if (!clip) return;
  $('play').textContent = playing ? 'Pause' : 'Play';
  const turns = order(clip);
  if (playing && now) {
    since = since || now;
    let passed = 0;
    while (now - since >= duration(clip, turns[step]) && passed++ < 1000) {
      since += Math.max(1, duration(clip, turns[step]));
      if (step + 1 === turns.length && clip.mode === 'once') { playing = false; break; }
      step = (step + 1) % turns.length;
    }
  }
  show(clip, turns);
  if (playing) requestAnimationFrame(tick);
}
function show(clip, turns) {
  const canvas = $('clip'), ratio = devicePixelRatio || 1;
  canvas.width = canvas.clientWidth * ratio; canvas.height = canvas.clientHeight * ratio;
  ground(screen, 0, 0, canvas.width, canvas.height);
  const sprites = clip.steps.map(s => atlas.sprites[s.sprite]).filter(Boolean);
  const reach = side => Math.max(1, ...sprites.map(side));
  const left = reach(s => s.pivot[0]), right = reach(s => s.canvas[0] - s.pivot[0]), top = reach(s => s.pivot[1]), bottom = reach(s => s.canvas[1] - s.pivot[1]);
  let zoom = Math.min(canvas.width / (left + right), canvas.height / (top + bottom)) * .9;
  if (zoom >= 1) zoom = Math.floor(zoom);
  const at = [canvas.width / 2 + (left - right) / 2 * zoom, canvas.height / 2 + (top - bottom) / 2 * zoom];
  screen.imageSmoothingEnabled = !state.hard;
  const onion = $('onion').getAttribute('aria-pressed') === 'true';
  if (onion) for (const [by, alpha] of [[-1, .3], [1, .2]]) place(clip.steps[turns[(step + by + turns.length) % turns.length]].sprite, at, zoom, alpha);
  place(clip.steps[turns[step]].sprite, at, zoom, 1);
  screen.strokeStyle = colour('lantern'); screen.beginPath(); screen.moveTo(at[0] - 5, at[1]); screen.lineTo(at[0] + 5, at[1]); screen.moveTo(at[0], at[1] - 5); screen.lineTo(at[0], at[1] + 5); screen.stroke();
  $('step').textContent = `step ${turns[step] + 1} of ${clip.steps.length}, ${clip.mode}${clip.fps ? ', ' + clip.fps + ' fps' : ''}: ${clip.steps[turns[step]].sprite}`;
}
function place(name, [x, y], zoom, alpha) {
  const sprite = atlas.sprites[name]; if (!sprite) return;
  const [bx, by, bw, bh] = sprite.box, w = sprite.turned ? bh : bw, h = sprite.turned ? bw : bh;
  screen.save();
  screen.globalAlpha = alpha;
  screen.translate(x + (sprite.inset[0] - sprite.pivot[0]) * zoom, y + (sprite.inset[1] - sprite.pivot[1]) * zoom);
  screen.scale(zoom, zoom);
  if (sprite.turned) { screen.translate(0, h); screen.rotate(-Math.PI / 2); }
  screen.drawImage(images[sprite.page], bx, by, bw, bh, 0, 0, bw, bh);
  screen.restore();
}
function go(by) { const clip = atlas.clips[state.clip]; if (!clip) return; playing = false; const turns = order(clip).length; step = (step + by + turns) % turns; tick(); }

function toPage(n) { if (n >= 0 && n < atlas.pages.length) { state.page = n; $('page').value = n; fit(); $('said').textContent = `page ${n}`; } }
$('page').onchange = e => toPage(+e.target.value);
$('search').oninput = lists;
$('fit').onclick = fit;
$('in').onclick = () => zoomAt(1.5, stage.clientWidth / 2, stage.clientHeight / 2);
$('out').onclick = () => zoomAt(1 / 1.5, stage.clientWidth / 2, stage.clientHeight / 2);
$('play').onclick = () => { playing = !playing; since = 0; tick(); };
$('back').onclick = () => go(-1);
$('next').onclick = () => go(1);
$('onion').onclick = e => { press(e.target); tick(); };
$('hard').onclick = e => { state.hard = press(e.target); draw(); };
$('ground').onchange = e => { state.ground = e.target.value; draw(); if (!playing) tick(); };
$('theme').onclick = () => { const root = document.documentElement; root.dataset.theme = root.dataset.theme === 'day' ? 'night' : 'day'; draw(); };
$('copy').onclick = async () => { try { await navigator.clipboard.writeText(copied); $('said').textContent = 'copied'; } catch { prompt('UVs:', copied); } };
function press(button) { const now = button.getAttribute('aria-pressed') !== 'true'; button.setAttribute('aria-pressed', now); return now; }
for (const button of document.querySelectorAll('[data-layer]')) button.onclick = () => { state.layers[button.dataset.layer] = press(button); draw(); };
addEventListener('keydown', e => {
  if (e.target.matches('input, select') || e.ctrlKey || e.metaKey || e.altKey) return;
  const pan = 60, keys = { ArrowLeft: () => state.x += pan, ArrowRight: () => state.x -= pan, ArrowUp: () => state.y += pan, ArrowDown: () => state.y -= pan, '+': $('in').onclick, '=': $('in').onclick, '-': $('out').onclick, 0: fit, PageDown: () => toPage(state.page + 1), PageUp: () => toPage(state.page - 1), '/': () => $('search').focus(), '.': () => go(1), ',': () => go(-1) };
  if (e.key === ' ' && !e.target.matches('button') && state.clip) { e.preventDefault(); $('play').onclick(); return; }
  if (!keys[e.key]) return;
  e.preventDefault(); keys[e.key](); draw();
});
new ResizeObserver(draw).observe(stage);
lists();
fit();
