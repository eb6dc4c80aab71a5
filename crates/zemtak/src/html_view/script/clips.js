// A clip: each sprite on its canvas, pivots on one point.
let step = 0, playing = false, since = 0, degrees = 0;
const isPressed = id => $(id).getAttribute('aria-pressed') === 'true';
function order(clip) { const turns = clip.steps.map((_, n) => n); return clip.mode === 'bounce' && turns.length > 2 ? turns.concat(turns.slice(1, -1).reverse()) : turns; }
function duration(clip, turn) {
  const ms = clip.steps[turn].ms; if (ms !== undefined) return ms;
  const [over, under] = String(clip.fps).split('/'); return 1000 * (under || 1) / over;
}
function choose(name) {
  state.clip = name; step = 0; since = 0;
  playing = !matchMedia('(prefers-reduced-motion: reduce)').matches;
  tellClip();
  if (atlas.sprites[state.selected]) showPlace();
  tick();
}
function tellClip() {
  const there = atlas.clips[state.clip] !== undefined;
  $('clip-name').textContent = there ? state.clip : 'none chosen';
  for (const id of ['play', 'back', 'next', 'onion']) $(id).disabled = !there;
  if (!there) { sized($('clip')); $('step').textContent = ''; }
  mark('clips', state.clip);
}
let ticking = false;
function tick(now) {
  ticking = false;
  const clip = atlas.clips[state.clip]; if (!clip) return;
  $('play').textContent = playing ? 'Pause' : 'Play';
  const turns = order(clip);
  step = Math.min(step, turns.length - 1);
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
  if (playing && !ticking) { ticking = true; requestAnimationFrame(tick); }
}
// How far what is visible of sprites goes to each side of their pivots.
function reach(names) {
  const far = [1, 1, 1, 1];
  for (const name of names) {
    const { box, turned, inset } = atlas.sprites[name], [w, h] = turned ? [box[3], box[2]] : [box[2], box[3]], [x, y] = pivotOf(name);
    [x - inset[0], inset[0] + w - x, y - inset[1], inset[1] + h - y].forEach((side, n) => { far[n] = Math.max(far[n], side); });
  }
  return far;
}
function show(clip, turns) {
  const canvas = $('clip'), pen = sized(canvas), [width, height] = [canvas.clientWidth, canvas.clientHeight];
  pen.fillStyle = groundFill(); pen.fillRect(0, 0, width, height);
  const names = clip.steps.map(s => s.sprite).filter(name => atlas.sprites[name]);
  const [left, right, top, bottom] = reach(names);
  let zoom = Math.min(width / (left + right), height / (top + bottom)) * .9;
  if (zoom >= 1) zoom = Math.floor(zoom);
  const at = [width / 2 + (left - right) / 2 * zoom, height / 2 + (top - bottom) / 2 * zoom];
  const place = (turn, alpha) => { const name = clip.steps[turn].sprite; if (atlas.sprites[name]) drawSprite(pen, atlas, name, pivotOf(name), at, zoom, alpha, degrees); };
  if (isPressed('onion')) for (const [by, alpha] of [[-1, .3], [1, .2]]) place(turns[(step + by + turns.length) % turns.length], alpha);
  place(turns[step], 1);
  cross(pen, at, colour('lantern'));
  $('step').textContent = `step ${turns[step] + 1} of ${clip.steps.length}, ${clip.mode}${clip.fps ? ', ' + clip.fps + ' fps' : ''}: ${clip.steps[turns[step]].sprite}`;
}
function go(by) { const clip = atlas.clips[state.clip]; if (!clip) return; playing = false; const turns = order(clip).length; step = (step + by + turns) % turns; tick(); }
$('play').onclick = () => { playing = !playing; since = 0; tick(); };
$('back').onclick = () => go(-1);
$('next').onclick = () => go(1);
$('onion').onclick = e => { press(e.target); tick(); };
