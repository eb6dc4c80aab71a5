// The page: drawn once for a place and a zoom with some room round it, then only moved.
const stage = $('stage');
const ROOM = 240;
let asked = false, sheet = null, fitted = '';
function draw() { if (!asked) { asked = true; requestAnimationFrame(() => { asked = false; paint(); }); } }
function redraw() { sheet = null; draw(); }

// What was fitted and not moved since stays fitted.
function resized() { if (fitted === [state.x, state.y, state.scale].join()) fit(); redraw(); }

function fit() {
  const page = atlas.pages[state.page], [w, h] = [stage.clientWidth - 40, stage.clientHeight - 40];
  const scale = Math.min(w / page.width, h / page.height);
  state.scale = scale >= 1 ? Math.floor(scale) : scale;
  state.x = (stage.clientWidth - page.width * state.scale) / 2;
  state.y = (stage.clientHeight - page.height * state.scale) / 2;
  fitted = [state.x, state.y, state.scale].join();
  draw();
}

// The part of the page that is in sight, from the page's corner, in pixels of the screen.
function sight(room) {
  const page = atlas.pages[state.page], [x, y] = [Math.round(state.x), Math.round(state.y)];
  const left = Math.max(-x - room, -8), top = Math.max(-y - room, -8);
  const right = Math.min(stage.clientWidth - x + room, Math.ceil(page.width * state.scale) + 8);
  const bottom = Math.min(stage.clientHeight - y + room, Math.ceil(page.height * state.scale) + 8);
  return { left, top, right, bottom };
}

// Where drawing takes longer than a frame has, zooming stretches what is drawn until it has come to rest.
const SLOW = 12, REST = 90;
let resting = 0;
function isCurrent(s) {
  if (!sheet || sheet.atlas !== atlas || sheet.page !== state.page) return false;
  if (sheet.scale !== state.scale) {
    clearTimeout(resting);
    if (sheet.cost > SLOW) resting = setTimeout(redraw, REST);
    return sheet.cost > SLOW;
  }
  return sheet.left <= s.left && sheet.top <= s.top && sheet.right >= s.right && sheet.bottom >= s.bottom;
}

function paint() {
  const pen = sized(stage), s = sight(0);
  if (s.left >= s.right || s.top >= s.bottom) return;
  if (!isCurrent(s)) drawSheet();
  const by = state.scale / sheet.scale;
  pen.translate(Math.round(state.x), Math.round(state.y));
  pen.drawImage(sheet.canvas, sheet.left * by, sheet.top * by, (sheet.right - sheet.left) * by, (sheet.bottom - sheet.top) * by);
  for (const [name, kind] of state.fresh) if (atlas.sprites[name]?.page === state.page) frames(pen, [atlas.sprites[name].box], colour(kind), 4);
  for (const [name, width] of [[state.pointed, 1], [state.selected, 3]]) {
    const sprite = atlas.sprites[name];
    if (sprite?.page !== state.page) continue;
    frames(pen, [sprite.box], colour('lantern'), width);
    if (width < 3) continue;
    cross(pen, onSheet(sprite, pivotOf(name)), colour('lantern'));
    for (const point of Object.values(pointsOf(name))) cross(pen, onSheet(sprite, point), colour('box'));
  }
}

function drawSheet() {
  const started = performance.now(), area = sight(ROOM), canvas = sheet?.canvas || document.createElement('canvas');
  const pen = sized(canvas, area.right - area.left, area.bottom - area.top), page = atlas.pages[state.page], s = state.scale;
  pen.translate(-area.left, -area.top);
  const shown = atlas.onPage[state.page].filter(name => {
    const [x, y, w, h] = atlas.sprites[name].box;
    return (x + w) * s > area.left && (y + h) * s > area.top && x * s < area.right && y * s < area.bottom;
  });
  pen.fillStyle = groundFill();
  pen.fillRect(0, 0, page.width * s, page.height * s);
  if (state.layers.waste) hatch(pen, page, shown);
  pen.imageSmoothingEnabled = !state.hard || s < 1;
  const picture = levelOf(state.page, state.level);
  if (picture) pen.drawImage(picture, 0, 0, page.width * s, page.height * s);
  drawLayers(pen, page, shown);
  sheet = { ...area, canvas, atlas, page: state.page, scale: s, cost: performance.now() - started };
}

function zoomAt(factor, px, py) {
  const scale = Math.min(64, Math.max(.05, state.scale * factor)), by = scale / state.scale;
  state.x = px - (px - state.x) * by; state.y = py - (py - state.y) * by; state.scale = scale;
  draw();
}

const fingers = new Map();
let moved = 0;
stage.addEventListener('pointerdown', e => { stage.setPointerCapture(e.pointerId); fingers.set(e.pointerId, [e.offsetX, e.offsetY]); moved = 0; });
stage.addEventListener('pointermove', e => {
  const was = fingers.get(e.pointerId), is = [e.offsetX, e.offsetY];
  if (!was) { $('pointed').classList.toggle('left', is[0] > stage.clientWidth / 2); point(at(...is)); return; }
  if (fingers.size === 2) {
    const other = [...fingers.entries()].find(([id]) => id !== e.pointerId)[1];
    const far = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]);
    zoomAt(far(is, other) / Math.max(1, far(was, other)), (is[0] + other[0]) / 2, (is[1] + other[1]) / 2);
  } else { state.x += is[0] - was[0]; state.y += is[1] - was[1]; }
  moved += Math.abs(is[0] - was[0]) + Math.abs(is[1] - was[1]);
  fingers.set(e.pointerId, is);
  draw();
});
for (const end of ['pointerup', 'pointercancel']) stage.addEventListener(end, e => {
  fingers.delete(e.pointerId);
  if (end === 'pointerup' && moved < 4) { const name = at(e.offsetX, e.offsetY); if (name) select(name); }
});
stage.addEventListener('pointerleave', () => point(undefined));
stage.addEventListener('wheel', e => { e.preventDefault(); zoomAt(Math.exp(-e.deltaY * .0015), e.offsetX, e.offsetY); }, { passive: false });

function at(px, py) {
  const [x, y] = [(px - state.x) / state.scale, (py - state.y) / state.scale];
  return atlas.onPage[state.page].find(name => { const b = atlas.sprites[name].box; return x >= b[0] && y >= b[1] && x < b[0] + b[2] && y < b[1] + b[3]; });
}

// What the pointer is on, told beside the page.
function point(name = null) {
  if (state.pointed === name) return;
  state.pointed = name;
  const sprite = atlas.sprites[name];
  $('pointed').hidden = !sprite;
  if (sprite) {
    $('pointed-name').textContent = name;
    $('pointed-values').replaceChildren(...valuesOf(name).slice(0, 7).map(([key, value]) => row(key, value)));
  }
  draw();
}

function toPage(n) {
  if (n < 0 || n >= atlas.pages.length) return;
  state.page = n; $('page').value = n; fit();
  stage.setAttribute('aria-label', `Page ${n}, ${counted(atlas.onPage[n].length, 'sprite', 'sprites')}; arrow keys move it, plus and minus zoom, 0 fits, page keys turn pages`);
  say(`page ${n}`);
}
