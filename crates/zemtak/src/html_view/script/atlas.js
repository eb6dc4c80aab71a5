'use strict';
// What is shown: an atlas as it is now and, where two are compared, the one before.
const $ = id => document.getElementById(id);
const given = JSON.parse($('atlas').textContent);
const state = {
  page: 0, scale: 1, x: 0, y: 0, level: 0, hard: true, ground: 'checker', side: 'now',
  selected: null, pointed: null, clip: null, fresh: new Map(),
  layers: { boxes: true, names: false, pivots: false, points: false, turned: true, gutters: false, rings: false, waste: true, changes: true },
};

// An atlas with the pictures of its pages and the names on each.
function opened(data) {
  const images = data.pages.map(page => { const image = new Image(); image.onload = draw; image.src = page.data; return image; });
  const onPage = data.pages.map(() => []);
  for (const [name, sprite] of Object.entries(data.sprites)) onPage[sprite.page].push(name);
  return { ...data, images, onPage, levels: [], names: Object.keys(data.sprites), clipNames: Object.keys(data.clips) };
}
let now = opened(given), before = given.before && opened(given.before), atlas = now;

// Marks must be seen on what lies behind the sprites, whatever the page's own colours are.
const marks = {
  dark: { box: '#6fc2c9', turned: '#c99af0', lantern: '#f2b45a', faint: '#aab0cc', wrong: '#f07c92', under: '#14182c' },
  light: { box: '#0f6d76', turned: '#7440a8', lantern: '#9a5b00', faint: '#565c74', wrong: '#b3123a', under: '#ffffff' },
};
const colour = name => marks[state.ground === 'day' || state.ground === 'white' ? 'light' : 'dark'][name];
const grounds = { night: '#14182c', day: '#f2efe6', black: '#000000', white: '#ffffff' };

// A small picture that repeats, drawn once.
const patterns = {};
function pattern(key, side, paint) {
  if (!patterns[key]) {
    const tile = document.createElement('canvas');
    tile.width = tile.height = side;
    paint(tile.getContext('2d'));
    patterns[key] = tile.getContext('2d').createPattern(tile, 'repeat');
  }
  return patterns[key];
}
function groundFill() {
  if (state.ground === 'own') return $('own').value;
  return grounds[state.ground] || pattern('checker', 24, pen => {
    pen.fillStyle = '#2a3050'; pen.fillRect(0, 0, 24, 24);
    pen.fillStyle = '#20264a'; pen.fillRect(12, 0, 12, 12); pen.fillRect(0, 12, 12, 12);
  });
}

// A canvas as large as it is shown, in pixels of the screen; what is drawn on it is measured as the page is.
function sized(canvas, width = canvas.clientWidth, height = canvas.clientHeight) {
  const ratio = devicePixelRatio || 1, [w, h] = [Math.round(width * ratio), Math.round(height * ratio)];
  if (canvas.width !== w || canvas.height !== h) { canvas.width = w; canvas.height = h; }
  const pen = canvas.getContext('2d');
  pen.setTransform(ratio, 0, 0, ratio, 0, 0);
  pen.clearRect(0, 0, width, height);
  return pen;
}

const numbers = list => list.map(n => +n.toPrecision(9)).join(', ');
const counted = (n, one, many) => `${n} ${n === 1 ? one : many}`;
function say(text) { $('said').textContent = text; }
function make(tag, content, values = {}) { const element = Object.assign(document.createElement(tag), values); element.append(...[content].flat()); return element; }
function press(button, on = button.getAttribute('aria-pressed') !== 'true') { button.setAttribute('aria-pressed', on); return on; }
async function copy(text, what) {
  try { await navigator.clipboard.writeText(text); say(`${what} copied`); } catch { prompt(`${what}:`, text); }
}

// An upright sprite of an atlas with its canvas point (px, py) at (x, y).
function drawSprite(pen, of, name, [px, py], [x, y], zoom, alpha = 1, degrees = 0) {
  const sprite = of.sprites[name];
  if (!sprite || !of.images[sprite.page].complete) return;
  const [bx, by, bw, bh] = sprite.box, [w, h] = sprite.turned ? [bh, bw] : [bw, bh];
  pen.save();
  pen.globalAlpha = alpha;
  pen.translate(x, y);
  pen.rotate(degrees * Math.PI / 180);
  pen.scale(zoom, zoom);
  pen.translate(sprite.inset[0] - px, sprite.inset[1] - py);
  // Stored a quarter turn clockwise: turned back.
  if (sprite.turned) { pen.translate(0, h); pen.rotate(-Math.PI / 2); }
  pen.imageSmoothingEnabled = !state.hard;
  pen.drawImage(of.images[sprite.page], bx, by, bw, bh, 0, 0, bw, bh);
  pen.restore();
}

function cross(pen, [x, y], stroke) {
  for (const [style, width] of [[colour('under'), 3], [stroke, 1]]) {
    pen.strokeStyle = style; pen.lineWidth = width;
    pen.beginPath(); pen.moveTo(x - 6, y); pen.lineTo(x + 6, y); pen.moveTo(x, y - 6); pen.lineTo(x, y + 6); pen.stroke();
  }
}
