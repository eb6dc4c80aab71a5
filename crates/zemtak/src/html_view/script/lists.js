// The lists of names, and the values of the sprite that is selected.
function row(key, value) { return make('tr', [make('th', key, { scope: 'row' }), make('td', value)]); }

function valuesOf(name) {
  const sprite = atlas.sprites[name], [u0, v0, u1, v1] = sprite.uv;
  const rows = [
    ['page', `${sprite.page} (${atlas.pages[sprite.page].file})`], ['box', numbers(sprite.box) + (sprite.turned ? ', turned' : '')],
    ['canvas', sprite.canvas.join(' x ')], ['inset', numbers(sprite.inset)], ['pivot', numbers(sprite.pivot)],
    ['UV, v down', numbers(sprite.uv)], ['UV, v up', numbers([u0, 1 - v0, u1, 1 - v1])],
  ];
  for (const [point, place] of Object.entries(sprite.points || {})) rows.push(['point ' + point, numbers(place)]);
  if (sprite.stretch) rows.push(['stretch', numbers(sprite.stretch)]);
  if (sprite.tags) rows.push(['tags', sprite.tags.join(', ')]);
  const of = clipsOf(name);
  if (of.length) rows.push(['clips', of.join(', ')]);
  return rows;
}
const clipsOf = name => atlas.clipNames.filter(clip => atlas.clips[clip].steps.some(step => step.sprite === name));
const uvText = name => numbers(atlas.sprites[name].uv);

function select(name, go = false) {
  const sprite = atlas.sprites[name];
  if (state.selected !== name) forgetDraft();
  state.selected = name;
  if (sprite.page !== state.page) toPage(sprite.page);
  if (go) { const b = sprite.box; state.x = stage.clientWidth / 2 - (b[0] + b[2] / 2) * state.scale; state.y = stage.clientHeight / 2 - (b[1] + b[3] / 2) * state.scale; }
  const of = clipsOf(name);
  if (of.length && !of.includes(state.clip)) choose(of[0]);
  tellSelected();
  say(`${name} selected`);
  draw();
}

// The values of what is selected, as the atlas that is shown has them.
function tellSelected() {
  const name = state.selected, there = name !== null && atlas.sprites[name] !== undefined;
  $('name').textContent = there ? name : 'none selected';
  $('values').replaceChildren(...(there ? valuesOf(name).map(([key, value]) => row(key, value)) : []));
  $('copy').disabled = !there;
  mark('sprites', name);
  tellChange(name);
  showPlace();
}

// Lists of names. Of a long one only the rows about those in sight are there: thousands would slow every frame down.
const ROW = 30, WHOLE = 300, AROUND = 40, listed = {};
function list(id, items, choose, content = name => [name]) {
  listed[id] = { items, choose, content, range: '' };
  $(id + '-count').textContent = items.length;
  fill(id);
}

function fill(id) {
  const of = listed[id], { items } = of, box = $(id), whole = items.length <= WHOLE;
  const first = whole ? 0 : Math.max(0, Math.min(items.length, Math.floor(box.scrollTop / ROW)) - AROUND);
  const last = whole ? items.length : Math.min(items.length, first + Math.ceil(box.clientHeight / ROW) + 2 * AROUND);
  if (of.range === `${first} ${last}`) return;
  of.range = `${first} ${last}`;
  const focused = box.contains(document.activeElement) ? document.activeElement.dataset.name : undefined;
  const space = rows => { const item = make('li', [], { role: 'presentation' }); item.style.height = `${rows * ROW}px`; return item; };
  const rows = items.slice(first, last).map((item, n) => {
    const name = item.name ?? item, button = make('button', of.content(item), { type: 'button', onclick: () => of.choose(item) });
    button.dataset.name = name;
    if (name === of.marked) button.setAttribute('aria-current', 'true');
    const row = make('li', button, { ariaSetSize: items.length, ariaPosInSet: first + n + 1 });
    return row;
  });
  box.replaceChildren(...(first ? [space(first)] : []), ...rows, ...(last < items.length ? [space(items.length - last)] : []));
  if (focused !== undefined) buttonOf(id, focused)?.focus({ preventScroll: true });
}
const buttonOf = (id, name) => [...$(id).querySelectorAll('button')].find(button => button.dataset.name === name);

// Brings a row into sight.
function reveal(id, n) {
  const box = $(id), top = n * ROW;
  if (top < box.scrollTop || top + ROW > box.scrollTop + box.clientHeight) box.scrollTop = top - box.clientHeight / 2;
  fill(id);
}

function mark(id, name) {
  const of = listed[id];
  if (!of) return;
  of.marked = name;
  for (const button of $(id).querySelectorAll('[aria-current]')) button.removeAttribute('aria-current');
  const n = of.items.findIndex(item => (item.name ?? item) === name);
  if (n < 0) return;
  reveal(id, n);
  buttonOf(id, name)?.setAttribute('aria-current', 'true');
}

function lists() {
  const search = $('search').value.toLowerCase(), found = names => names.filter(name => name.toLowerCase().includes(search));
  list('sprites', found(atlas.names), name => select(name, true));
  list('clips', found(atlas.clipNames), choose);
  mark('sprites', state.selected); mark('clips', state.clip);
}

// Up and down go from name to name, so that thousands need no thousand tabs.
for (const id of ['sprites', 'clips', 'changes']) {
  $(id).addEventListener('scroll', () => { if (listed[id]) fill(id); });
  $(id).addEventListener('keydown', e => {
    const { items } = listed[id], is = items.findIndex(item => (item.name ?? item) === e.target.dataset.name);
    const to = { ArrowDown: is + 1, ArrowUp: is - 1, Home: 0, End: items.length - 1 }[e.key];
    if (is < 0 || to === undefined) return;
    e.preventDefault(); e.stopPropagation();
    const n = Math.min(items.length - 1, Math.max(0, to));
    reveal(id, n);
    buttonOf(id, items[n].name ?? items[n])?.focus();
  });
}
$('search').oninput = lists;
$('copy').onclick = () => copy(uvText(state.selected), 'UVs');
