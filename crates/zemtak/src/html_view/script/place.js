// A pivot or a named point set by eye: on the sprite, for it alone or for its whole clip, and the lines of the project file
// that say so. Until they are written it is a draft that this page alone shows.
let draft = null;
function forgetDraft() { draft = null; degrees = 0; press($('turn'), false); }
// Whether the atlas says what the draft says, or has nothing any more that it is about.
function draftIsBuilt() {
  const sprite = atlas.sprites[draft.name], same = (a, b) => a !== undefined && a.join() === b.join();
  return !sprite || (!draft.pivot || same(sprite.pivot, draft.pivot)) && Object.entries(draft.points).every(([name, at]) => same(sprite.points?.[name], at));
}
const inDraft = name => draft && (draft.name === name || (draft.whole && atlas.clips[state.clip]?.steps.some(s => s.sprite === name)));
const pivotOf = name => inDraft(name) && draft.pivot || atlas.sprites[name].pivot;
const pointsOf = name => ({ ...atlas.sprites[name].points, ...(inDraft(name) ? draft.points : {}) });
const NEW = '+ new point';

// What is being set: the pivot, or a point by name.
function target() { const what = $('what').value; return what === NEW ? $('point-name').value.trim() : what; }
function placed(name) { const what = target(); return what === 'pivot' ? pivotOf(name) : pointsOf(name)[what]; }

function showPlace() {
  const name = state.selected, sprite = atlas.sprites[name], usable = sprite !== undefined && state.side === 'now';
  $('place-panel').hidden = !usable;
  if (!usable) return;
  const offered = ['pivot', ...Object.keys(pointsOf(name)), NEW], is = offered.includes($('what').value) ? $('what').value : 'pivot';
  $('what').replaceChildren(...offered.map(what => make('option', what, { value: what })));
  $('what').value = is;
  $('point-name-label').hidden = is !== NEW;
  $('whole').disabled = !clipsOf(name).includes(state.clip);
  drawPlace();
}

// The zoom and corner of the canvas of the sprite on the drawing.
function placeView() {
  const canvas = $('place'), [w, h] = atlas.sprites[state.selected].canvas;
  let zoom = Math.min(canvas.clientWidth / w, canvas.clientHeight / h) * .95;
  if (zoom >= 1) zoom = Math.floor(zoom);
  return { zoom, left: Math.round((canvas.clientWidth - w * zoom) / 2), top: Math.round((canvas.clientHeight - h * zoom) / 2) };
}

function drawPlace() {
  const canvas = $('place'), pen = sized(canvas), name = state.selected, { zoom, left, top } = placeView(), [w, h] = atlas.sprites[name].canvas;
  pen.fillStyle = groundFill(); pen.fillRect(0, 0, canvas.clientWidth, canvas.clientHeight);
  drawSprite(pen, atlas, name, [0, 0], [left, top], zoom);
  pen.strokeStyle = colour('faint'); pen.lineWidth = 1; pen.strokeRect(left - .5, top - .5, w * zoom + 1, h * zoom + 1);
  const mark = ([x, y], stroke) => cross(pen, [left + x * zoom, top + y * zoom], stroke);
  for (const point of Object.values(pointsOf(name))) mark(point, colour('box'));
  mark(pivotOf(name), colour('turned'));
  const at = placed(name);
  if (at) mark(at, colour('lantern'));
  for (const [id, n] of [['place-x', 0], ['place-y', 1]]) if (document.activeElement !== $(id)) $(id).value = at ? at[n] : '';
  const lines = projectLines();
  $('lines').textContent = lines || 'Click the sprite, use the arrow keys on it, or type numbers.';
  for (const id of ['copy-lines', 'write-lines', 'reset']) $(id).disabled = !lines;
}

function put([x, y]) {
  const name = state.selected, what = target();
  if (!what) { $('point-name').focus(); say('name the point first'); return; }
  draft = draft || { name, pivot: null, points: {} };
  draft.whole = $('whole').checked && !$('whole').disabled;
  const at = [Math.round(x * 100) / 100, Math.round(y * 100) / 100];
  if (what === 'pivot') draft.pivot = at; else draft.points[what] = at;
  if ($('what').value === NEW) { showPlace(); $('what').value = what; $('point-name-label').hidden = true; $('point-name').value = ''; }
  drawPlace(); redraw(); if (!playing) tick();
}

// Halves of pixels: their edges and their centres.
$('place').addEventListener('pointerdown', e => { const { zoom, left, top } = placeView(); put([(e.offsetX - left) / zoom, (e.offsetY - top) / zoom].map(n => Math.round(n * 2) / 2)); });
$('place').addEventListener('keydown', e => {
  const by = e.shiftKey ? 4 : .5, to = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }[e.key];
  if (!to) return;
  e.preventDefault(); e.stopPropagation();
  const [x, y] = placed(state.selected) || pivotOf(state.selected);
  put([x + to[0], y + to[1]]);
});
for (const id of ['place-x', 'place-y']) $(id).oninput = () => {
  const at = ['place-x', 'place-y'].map(id => $(id).value === '' ? NaN : +$(id).value);
  if (at.every(Number.isFinite)) put(at);
};
$('what').onchange = () => { $('point-name-label').hidden = $('what').value !== NEW; drawPlace(); };
$('whole').onchange = () => { if (draft) draft.whole = $('whole').checked; drawPlace(); redraw(); if (!playing) tick(); };
$('reset').onclick = () => { forgetDraft(); showPlace(); redraw(); tick(); };
let turning = 0;
$('turn').onclick = e => { const mine = ++turning; if (press(e.target)) turn(mine); else { degrees = 0; tick(); } };
function turn(mine) {
  if (mine !== turning || !isPressed('turn')) return;
  degrees = (degrees + 2) % 360;
  if (!playing) tick();
  requestAnimationFrame(() => turn(mine));
}

const escaped = text => text.replace(/[\\*?[\]{}]/g, c => c === '\\' ? '\\\\' : `[${c}]`);
// Globs that match these sprites and no other of the atlas.
function globs(names) {
  if (names.length === 1) return [escaped(names[0])];
  let common = names[0];
  for (const name of names) while (!name.startsWith(common)) common = common.slice(0, -1);
  const matches = start => {
    const matched = atlas.names.filter(name => name.startsWith(start) && !name.slice(start.length).includes('/'));
    return matched.length === names.length && names.every(name => matched.includes(name));
  };
  const start = [common.replace(/\d+$/, ''), common].find(matches);
  return start === undefined ? names.map(escaped) : [escaped(start) + '*'];
}

// What the draft says, as rules; a smaller size of an atlas is drafted in pixels of the full one. A rule names all points of
// a sprite: sprites with other points get rules of their own.
function rules() {
  if (!draft) return [];
  const names = draft.whole ? [...new Set(atlas.clips[state.clip].steps.map(s => s.sprite))] : [draft.name];
  const full = at => at.map(n => Math.round(n / now.scale * 1000) / 1000);
  const out = draft.pivot ? globs(names).map(match => ({ match, pivot: full(draft.pivot) })) : [];
  if (!Object.keys(draft.points).length) return out;
  const alike = new Map();
  for (const name of names) {
    const points = Object.fromEntries(Object.entries(pointsOf(name)).map(([point, at]) => [point, full(at)])), key = JSON.stringify(points);
    alike.set(key, { points, names: [...alike.get(key)?.names || [], name] });
  }
  for (const { points, names } of alike.values()) for (const match of globs(names)) {
    const same = out.find(rule => rule.match === match);
    if (same) same.points = points; else out.push({ match, points });
  }
  return out;
}
const quoted = text => JSON.stringify(text).replaceAll('\u007f', '\\u007F');
const key = text => /^[\w-]+$/.test(text) ? text : quoted(text);
function projectLines() {
  return rules().map(({ match, pivot, points }) => [
    `[[atlas.${now.base}.rule]]`, `match = ${quoted(match)}`,
    ...pivot ? [`pivot = { px = [${pivot.join(', ')}] }`] : [],
    ...points ? [`points = { ${Object.entries(points).map(([name, at]) => `${key(name)} = [${at.join(', ')}]`).join(', ')} }`] : [],
  ].join('\n')).join('\n\n');
}
$('copy-lines').onclick = () => copy(projectLines() + '\n', 'Lines of the project file');
