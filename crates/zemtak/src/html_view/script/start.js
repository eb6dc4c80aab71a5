// Buttons and keys, and what is shown at first.
function offerPages() {
  $('page').replaceChildren(...atlas.pages.map((page, n) => make('option', `${n}: ${page.file}`, { value: n })));
  $('page').value = state.page;
}
$('page').onchange = e => toPage(+e.target.value);
$('fit').onclick = fit;
$('in').onclick = () => zoomAt(1.5, stage.clientWidth / 2, stage.clientHeight / 2);
$('out').onclick = () => zoomAt(1 / 1.5, stage.clientWidth / 2, stage.clientHeight / 2);
function repaint() { redraw(); if (!playing) tick(); if (atlas.sprites[state.selected]) { tellChange(state.selected); showPlace(); } }
$('hard').onclick = e => { state.hard = press(e.target); repaint(); };
$('ground').onchange = e => { state.ground = e.target.value; $('own-label').hidden = state.ground !== 'own'; repaint(); };
$('own').oninput = repaint;
$('theme').onclick = () => { const root = document.documentElement; root.dataset.theme = root.dataset.theme === 'day' ? 'night' : 'day'; };
for (const button of document.querySelectorAll('[data-layer]')) button.onclick = () => { state.layers[button.dataset.layer] = press(button); redraw(); };

addEventListener('keydown', e => {
  if (e.target.matches('input, select') || e.ctrlKey || e.metaKey || e.altKey || $('write').open) return;
  const pan = 60, named = state.pointed ?? state.selected;
  const keys = {
    ArrowLeft: () => state.x += pan, ArrowRight: () => state.x -= pan, ArrowUp: () => state.y += pan, ArrowDown: () => state.y -= pan,
    '+': $('in').onclick, '=': $('in').onclick, '-': $('out').onclick, 0: fit,
    PageDown: () => toPage(state.page + 1), PageUp: () => toPage(state.page - 1),
    '/': () => $('search').focus(), '.': () => go(1), ',': () => go(-1), b: () => $('before').onclick(),
    c: () => { if (atlas.sprites[named]) copy(uvText(named), `UVs of ${named}`); },
  };
  if (e.key === ' ' && !e.target.matches('button') && state.clip) { e.preventDefault(); $('play').onclick(); return; }
  if (!Object.hasOwn(keys, e.key)) return;
  e.preventDefault(); keys[e.key](); draw();
});
new ResizeObserver(resized).observe(stage);
$('figures').textContent = now.figures;
offerPages(); offerLevels(); offerChanges(); lists(); toPage(0);
