// Uses the page as a person would: pointer, wheel, keys, search, lists, clips. What it is held against comes with it.
(async expected => {
  const wrong = [], wait = ms => new Promise(done => setTimeout(done, ms));
  const same = (what, found, wanted) => { if (JSON.stringify(found) !== JSON.stringify(wanted)) wrong.push(`${what}: ${JSON.stringify(found)} instead of ${JSON.stringify(wanted)}`); };
  const near = (what, found, wanted) => { if (!(Math.abs(found - wanted) < .01)) wrong.push(`${what}: ${found} instead of ${wanted}`); };
  const all = list => [...$(list).querySelectorAll('button')].map(b => b.textContent);
  let clipboard = '';
  Object.defineProperty(navigator, 'clipboard', { value: { writeText: async text => { clipboard = text; } } });
  same('no sprite of a name ran as code', window.ran, undefined);
  same('sprites', all('sprites'), expected.sprites);
  same('clips', all('clips'), expected.clips);
  const box = stage.getBoundingClientRect();
  const pointer = (kind, x, y, id = 1) => stage.dispatchEvent(new PointerEvent(kind, { pointerId: id, clientX: box.left + x, clientY: box.top + y, bubbles: true }));
  stage.setPointerCapture = () => {};
  const rowsOf = id => Object.fromEntries([...$(id).rows].map(row => [row.cells[0].textContent, row.cells[1].textContent]));
  // Pointing at a sprite tells its values, a click selects it, wherever it lies and turned or not; twins share a place.
  for (const [name, sprite] of Object.entries(expected.descriptor.sprites)) {
    if (sprite.page !== state.page) { $('page').value = sprite.page; $('page').onchange({ target: $('page') }); }
    const [x, y, w, h] = sprite.box, at = [state.x + (x + w / 2) * state.scale, state.y + (y + h / 2) * state.scale];
    const uvs = (what, rows, of) => {
      same(`UVs of ${name}, ${what}`, rows['UV, v down'].split(', ').map(n => Math.fround(+n)), of.uv.map(Math.fround));
      near(`v up of ${name}, ${what}`, +rows['UV, v up'].split(', ')[1], 1 - of.uv[1]);
    };
    pointer('pointermove', ...at);
    const pointed = expected.descriptor.sprites[$('pointed-name').textContent];
    same(`pointed at ${name}`, [pointed?.page, pointed?.box], [sprite.page, sprite.box]);
    uvs('pointed at', rowsOf('pointed-values'), sprite);
    pointer('pointerdown', ...at); pointer('pointerup', ...at);
    const chosen = expected.descriptor.sprites[$('name').textContent];
    same(`click on ${name}`, [chosen.page, chosen.box], [sprite.page, sprite.box]);
    uvs('selected', rowsOf('values'), sprite);
    same(`current in the list`, $('sprites').querySelector('[aria-current]').textContent, $('name').textContent);
    $('copy').click(); await wait(0);
    same(`copied ${name}`, clipboard.split(', ').map(n => Math.fround(+n)), sprite.uv.map(Math.fround));
  }
  pointer('pointerleave', 0, 0);
  same('nothing pointed at', $('pointed').hidden, true);
  // The wheel zooms about the pointer: the pixel below it stays.
  const pixel = (x, y) => [(x - state.x) / state.scale, (y - state.y) / state.scale];
  const before = pixel(200, 150), scale = state.scale;
  stage.dispatchEvent(new WheelEvent('wheel', { deltaY: -200, clientX: box.left + 200, clientY: box.top + 150, cancelable: true }));
  near('zoomed', state.scale / scale, Math.exp(.3));
  near('the pixel below the pointer', pixel(200, 150)[0], before[0]); near('and its row', pixel(200, 150)[1], before[1]);
  // A drag moves the page and selects nothing.
  const [x, y, chosen] = [state.x, state.y, state.selected];
  pointer('pointerdown', 50, 50); pointer('pointermove', 90, 70); pointer('pointerup', 90, 70);
  near('dragged', state.x - x, 40); near('dragged down', state.y - y, 20); same('still selected', state.selected, chosen);
  // Two fingers twice as far apart make it twice as large.
  const pinched = state.scale;
  pointer('pointerdown', 100, 100, 1); pointer('pointerdown', 200, 100, 2); pointer('pointermove', 300, 100, 2);
  near('pinched', state.scale / pinched, 2);
  pointer('pointerup', 100, 100, 1); pointer('pointerup', 300, 100, 2);
  const key = (name, on = document.body) => on.dispatchEvent(new KeyboardEvent('keydown', { key: name, bubbles: true, cancelable: true }));
  const left = state.x; key('ArrowLeft'); near('left', state.x - left, 60);
  const larger = state.scale; key('+'); near('larger', state.scale / larger, 1.5);
  key('0'); near('fits again', state.x, (stage.clientWidth - atlas.pages[state.page].width * state.scale) / 2);
  key('/'); same('search', document.activeElement, $('search'));
  $('search').value = expected.search; $('search').oninput();
  same('found', all('sprites'), expected.sprites.filter(name => name.toLowerCase().includes(expected.search)));
  $('search').value = ''; $('search').oninput(); document.activeElement.blur();
  const rows = [...$('sprites').querySelectorAll('button')];
  rows[1].focus(); key('ArrowDown', rows[1]); same('a row down', document.activeElement.textContent, expected.sprites[2]);
  key('End', document.activeElement); same('the last row', document.activeElement.textContent, expected.sprites.at(-1));
  document.activeElement.blur();
  // Clips play at their rate, and stop to be stepped through.
  choose(expected.clip); playing = false;
  const steps = expected.descriptor.clips[expected.clip].steps.length;
  step = 0; key('.'); same('a step on', step, 1); key(','); key(','); same('round the end', step, steps - 1);
  step = 0; since = 0; playing = true; tick(1000); tick(1000 + expected.ms * 2.5); playing = false;
  same('two and a half steps later', step, 2 % steps);
  // Each layer changes what is drawn, and drawn again it is as before.
  const drawn = () => { redraw(); paint(); return stage.toDataURL(); };
  select(expected.descriptor.clips[expected.clip].steps[0].sprite); playing = false; fit();
  for (const layer of document.querySelectorAll('[data-layer]:not([hidden])')) {
    const was = drawn(); layer.click();
    const other = drawn(); layer.click();
    same(`${layer.dataset.layer} is drawn`, other !== was, true); same(`${layer.dataset.layer} again`, drawn() === was, true);
  }
  $('ground').value = 'own'; $('ground').onchange({ target: $('ground') }); $('own').value = '#123456';
  state.layers.waste = false;
  const boxes = atlas.onPage[state.page].map(name => atlas.sprites[name].box), page = atlas.pages[state.page];
  const free = Array.from({ length: page.width * page.height }, (_, n) => [n % page.width, Math.floor(n / page.width)])
    .find(([x, y]) => boxes.every(b => x + 3 < b[0] || y + 3 < b[1] || x > b[0] + b[2] + 3 || y > b[1] + b[3] + 3));
  drawn();
  const shown = stage.getContext('2d').getImageData(...free.map((n, i) => Math.floor([state.x, state.y][i] + (n + .5) * state.scale)), 1, 1).data;
  same('a colour of one\'s own', [...shown], [0x12, 0x34, 0x56, 255]);
  // Levels: each half as large, and a level of one colour is that colour.
    $('level').value = 2; $('level').onchange({ target: $('level') }); paint();
  const small = levelOf(state.page, 2);
  same('level 2', [small.width, small.height], [page.width >> 2, page.height >> 2]);
  const [one, two] = atlas.levels[state.page], alpha = (level, x, y) => level.colours[(y * level.width + x) * 4 + 3];
  for (let y = 0; y < two.height; y++) for (let x = 0; x < two.width; x++)
    near(`alpha at ${x},${y}`, alpha(two, x, y), (alpha(one, 2 * x, 2 * y) + alpha(one, 2 * x + 1, 2 * y) + alpha(one, 2 * x, 2 * y + 1) + alpha(one, 2 * x + 1, 2 * y + 1)) / 4);
  $('level').value = 0; $('level').onchange({ target: $('level') });
  // A pivot by eye: clicked, nudged, typed; for one sprite or its clip; a named point; the lines say just that.
  const sprite = expected.descriptor.clips[expected.clip].steps[0].sprite;
  select(sprite); choose(expected.clip); playing = false;
  $('whole').checked = false; $('whole').onchange();
  const place = $('place').getBoundingClientRect(), { zoom, left: pl, top: pt } = placeView();
  $('place').dispatchEvent(new PointerEvent('pointerdown', { clientX: place.left + 1 + pl + 10.2 * zoom, clientY: place.top + 1 + pt + 20.6 * zoom, bubbles: true }));
  same('clicked', projectLines(), `[[atlas.night.rule]]\nmatch = "${sprite}"\npivot = { px = [10, 20.5] }`);
  key('ArrowRight', $('place')); key('ArrowUp', $('place'));
  same('nudged', projectLines().split('\n')[2], 'pivot = { px = [10.5, 20] }');
  $('place-x').focus(); $('place-x').value = '-3.25'; $('place-x').oninput();
  same('typed', projectLines().split('\n')[2], 'pivot = { px = [-3.25, 20] }');
  same('the clip is held there', pivotOf(sprite), [-3.25, 20]);
  const other = expected.descriptor.clips[expected.clip].steps[1].sprite;
  same('its other steps are not', pivotOf(other), expected.descriptor.sprites[other].pivot);
  $('whole').checked = true; $('whole').onchange();
  same('the whole clip', [projectLines().split('\n')[1], pivotOf(other)], [`match = "${expected.clip}/*"`, [-3.25, 20]]);
  $('what').value = NEW; $('what').onchange(); $('point-name').value = 'left wing';
  $('place').focus(); key('ArrowDown', $('place'));
  same('a point', projectLines().split('\n').at(-1), `points = { lamp = [24, 20], "left wing" = [-3.25, 20.5] }`);
  $('copy-lines').click(); await wait(0);
  same('copied lines', clipboard, projectLines() + '\n');
  const still = $('clip').toDataURL(); $('turn').click(); await wait(300); $('turn').click();
  step = 0; degrees = 40; tick(); same('turned about it', $('clip').toDataURL() !== still, true);
  $('reset').click(); same('reset', [projectLines(), pivotOf(sprite)], ['', expected.descriptor.sprites[sprite].pivot]);
  same('odd names as globs', globs(["a[b]*?{c}\\"]), ['a[[]b[]][*][?][{]c[}]\\\\']);
  same('odd names in TOML', quoted('a"\u007f\n'), '"a\\"\\u007F\\n"');
  return wrong.length ? wrong.slice(0, 10).join('\n') : 'all as expected';
})
