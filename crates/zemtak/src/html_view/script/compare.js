// What differs from the atlas before: a list, frames on the page, and both pictures of the sprite that is selected.
const kinds = { added: 'box', removed: 'wrong', renamed: 'turned', repainted: 'lantern', resized: 'lantern', values: 'faint', moved: 'turned' };

// Every difference as a line: its kind, the sprite or clip, what there is to say, and whether only the atlas before has it.
function differences(diff) {
  const out = [], put = (kind, name, words = '', old = false) => out.push({ kind, name, words, old });
  const pixels = n => counted(n, 'pixel', 'pixels'), spot = s => `page ${s.page}, ${numbers(s.box)}${s.turned ? ', turned' : ''}`;
  for (const name of diff.added) put('added', name);
  for (const name of diff.removed) put('removed', name, '', true);
  for (const { from, to } of diff.renamed) put('renamed', to, `was ${from}`);
  for (const c of diff.changed) if (c.repainted) put('repainted', c.sprite, pixels(c.repainted.pixels));
  for (const c of diff.changed) if (c.resized) put('resized', c.sprite, `${c.resized.from.join(' x ')} to ${c.resized.to.join(' x ')}`);
  for (const c of diff.changed) if (c.values) put('values', c.sprite, c.values.join(', '));
  for (const c of diff.changed) if (c.moved) put('moved', c.sprite, `from ${spot(c.moved.from)} to ${spot(c.moved.to)}`);
  return out;
}
const changes = before ? differences(given.changes) : [];
const changeOf = new Map();
for (const change of changes) if (!changeOf.has(change.name)) changeOf.set(change.name, change);

function drawChanges(pen, shown) {
  for (const [kind, of] of Object.entries(kinds)) {
    const boxes = shown.filter(name => changeOf.get(name)?.kind === kind).map(name => atlas.sprites[name].box);
    if (boxes.length) frames(pen, boxes, colour(of), 2);
  }
}

function offerChanges() {
  if (!before) return;
  for (const id of ['compared', 'before']) $(id).hidden = false;
  document.querySelector('[data-layer=changes]').hidden = false;
  // What moved and what is turned have one colour: one of them at a time.
  state.layers.turned = press(document.querySelector('[data-layer=turned]'), false);
  const { pages, pages_removed: removed, download_bytes: anew, all_bytes: all } = given.changes, bytes = n => n < 1024 ? `${n} B` : n < 1 << 20 ? `${(n / 1024).toFixed(2)} KiB` : `${(n / (1 << 20)).toFixed(2)} MiB`;
  const clips = [...given.changes.clips_added.map(c => `${c} added`), ...given.changes.clips_removed.map(c => `${c} removed`), ...given.changes.clips_changed.map(c => `${c.clip} (${c.values.join(', ')})`)];
  const values = given.changes.values.map(({ key, from, to }) => `${key} ${from} -> ${to}`);
  const lines = [
    `Pages: ${[...pages.map(page => `${page.file} ${page.state}`), ...removed.map(file => `${file} removed`)].join(', ')}.`,
    `A player who has the old files downloads ${bytes(anew)} of ${bytes(all)}.`,
    ...clips.length ? [`Clips: ${clips.join(', ')}.`] : [],
    ...values.length ? [`Values: ${values.join(', ')}.`] : [],
  ];
  $('changes-words').textContent = lines.join(' ');
  list('changes', changes, ({ name, old }) => { toSide(old ? 'before' : 'now'); select(name, true); }, ({ kind, name }) => {
    const word = make('span', kind, { className: 'kind' });
    word.style.setProperty('--kind', `var(--${kinds[kind]})`);
    return [word, ' ', name];
  });
}

// The same place and zoom, on the other atlas.
function toSide(to) {
  if (!before || state.side === to) return;
  state.side = to;
  atlas = to === 'now' ? now : before;
  press($('before'), to === 'before');
  $('figures').textContent = atlas.figures;
  state.page = Math.min(state.page, atlas.pages.length - 1);
  offerPages(); offerLevels(); lists(); tellSelected(); tellClip(); redraw(); tick();
  say(to === 'now' ? 'the atlas as it is now' : 'the atlas as it was before');
}
$('before').onclick = () => toSide(state.side === 'now' ? 'before' : 'now');

// Both pictures, and where their pixels differ.
function tellChange(name) {
  const all = changes.filter(change => change.name === name);
  $('change').hidden = !all.length;
  if (!all.length) return;
  $('change-words').textContent = all.map(({ kind, words }) => words ? `${kind}: ${words}` : kind).join('; ');
  const was = given.changes.renamed.find(({ to }) => to === name)?.from || name;
  const canvas = $('both'), pen = sized(canvas), width = canvas.clientWidth / 2, height = canvas.clientHeight;
  pen.fillStyle = groundFill(); pen.fillRect(0, 0, 2 * width, height);
  const both = [[before, was], [now, name]], canvases = both.map(([of, name]) => of.sprites[name]?.canvas || [1, 1]);
  let zoom = Math.min(...canvases.map(([w, h]) => Math.min(width / w, height / h))) * .9;
  if (zoom >= 1) zoom = Math.floor(zoom);
  both.forEach(([of, name], n) => {
    const [w, h] = canvases[n], corner = [n * width + (width - w * zoom) / 2, (height - h * zoom) / 2];
    drawSprite(pen, of, name, [0, 0], corner, zoom);
    const area = given.changes.changed.find(c => c.sprite === name)?.repainted?.area;
    if (area) { pen.strokeStyle = colour('lantern'); pen.lineWidth = 1; pen.strokeRect(corner[0] + area[0] * zoom - .5, corner[1] + area[1] * zoom - .5, area[2] * zoom + 1, area[3] * zoom + 1); }
  });
}
