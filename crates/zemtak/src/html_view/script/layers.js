// What is drawn over the page, layer by layer. The pen's origin is the page's corner.

// A canvas point of a sprite where its box lies; pixel (i, j) of an upright box lies at (h - 1 - j, i) of a turned one.
function onSheet(sprite, [cx, cy]) {
  const [ux, uy] = [cx - sprite.inset[0], cy - sprite.inset[1]], b = sprite.box;
  const [px, py] = sprite.turned ? [b[2] - uy, ux] : [ux, uy];
  return [(b[0] + px) * state.scale, (b[1] + py) * state.scale];
}

const grown = ([x, y, w, h], by) => [x - by, y - by, w + 2 * by, h + 2 * by];

// What no cell takes: hatched, and the ground laid again below the cells.
function hatch(pen, page, shown) {
  const ground = pen.fillStyle, s = state.scale;
  pen.fillStyle = pattern('hatch', 12, pen => {
    pen.strokeStyle = '#7680b080'; pen.lineWidth = 1;
    pen.beginPath();
    for (const d of [-12, 0, 12]) { pen.moveTo(d - 1, 13); pen.lineTo(d + 13, -1); }
    pen.stroke();
  });
  pen.fillRect(0, 0, page.width * s, page.height * s);
  pen.fillStyle = ground;
  for (const name of shown) { const [x, y, w, h] = grown(atlas.sprites[name].box, page.extrude); pen.fillRect(x * s, y * s, w * s, h * s); }
}

// Frames along whole pixels, each within its box; all of a colour in one stroke.
function frames(pen, boxes, stroke, width) {
  const s = state.scale, half = width / 2;
  pen.strokeStyle = stroke; pen.lineWidth = width;
  pen.beginPath();
  for (const [x, y, w, h] of boxes) {
    const [left, top] = [Math.round(x * s), Math.round(y * s)];
    pen.rect(left + half, top + half, Math.max(1, Math.round((x + w) * s) - left - width), Math.max(1, Math.round((y + h) * s) - top - width));
  }
  pen.stroke();
}

function drawLayers(pen, page, shown) {
  const layers = state.layers, boxOf = name => atlas.sprites[name].box;
  if (layers.gutters) frames(pen, shown.map(name => grown(boxOf(name), page.extrude + page.gutter)), colour('wrong'), 1);
  if (layers.rings) frames(pen, shown.map(name => grown(boxOf(name), page.extrude)), colour('faint'), 1);
  const [turned, upright] = [true, false].map(is => shown.filter(name => atlas.sprites[name].turned === is));
  if (layers.boxes) { frames(pen, upright.map(boxOf), colour('box'), 1); frames(pen, turned.map(boxOf), colour(layers.turned ? 'turned' : 'box'), 1); }
  if (layers.turned) corners(pen, turned.map(boxOf));
  if (layers.changes) drawChanges(pen, shown);
  if (layers.names) for (const name of shown) label(pen, name, boxOf(name));
  for (const name of shown) {
    if (layers.pivots) cross(pen, onSheet(atlas.sprites[name], pivotOf(name)), colour('lantern'));
    if (layers.points) for (const point of Object.values(pointsOf(name))) cross(pen, onSheet(atlas.sprites[name], point), colour('box'));
  }
}

// The corner where the upright sprite's top left lies.
function corners(pen, boxes) {
  pen.fillStyle = colour('turned');
  pen.beginPath();
  for (const [x, y, w, h] of boxes) {
    const side = Math.min(9, w * state.scale / 2, h * state.scale / 2), [right, top] = [(x + w) * state.scale, y * state.scale];
    pen.moveTo(right, top); pen.lineTo(right - side, top); pen.lineTo(right, top + side); pen.closePath();
  }
  pen.fill();
}

// The end of a name tells most. Every letter is as wide as the next, so that nothing need be measured.
const LETTER = 7.3;
function label(pen, name, [x, y, w, h]) {
  const fits = Math.floor((w * state.scale - 8) / LETTER);
  if (fits < 3 || h * state.scale < 18) return;
  const text = name.length > fits ? '…' + name.slice(1 - fits) : name;
  const [left, top] = [x * state.scale + 2, y * state.scale + 2];
  pen.font = '12px ui-monospace, "DejaVu Sans Mono", monospace';
  pen.fillStyle = '#14182cdd'; pen.fillRect(left, top, text.length * LETTER + 6, 16);
  pen.fillStyle = '#eceaf4'; pen.fillText(text, left + 3, top + 12);
}
