// Served while a build is watched: each new build is shown in the same place, and what is wrong stands above the last good one.
function toldErrors(errors) {
  $('errors').hidden = !errors.length;
  $('errors-list').replaceChildren(...errors.map(({ what, help }) => make('li', [make('strong', what), ...help ? [make('span', help)] : []])));
}

let taking = Promise.resolve();
function take(build) {
  taking = taking.then(async () => {
    if (build <= now.build) return;
    const next = opened(await (await fetch('data', { cache: 'no-store' })).json());
    await Promise.all(next.images.map(image => image.decode()));
    showNext(next);
  }).catch(error => say(`the new build could not be shown: ${error.message}`));
  return taking;
}

// Place, zoom, selection and clip stay; what has changed is marked for some seconds.
const MARKED = 4000;
function showNext(next) {
  const changed = next.build === now.build + 1 && next.news ? differences(next.news).filter(change => !change.old) : [];
  now = next;
  if (state.side === 'now') atlas = now;
  state.page = Math.min(state.page, atlas.pages.length - 1);
  if (!atlas.sprites[state.selected]) state.selected = null;
  if (!atlas.clips[state.clip]) state.clip = null;
  state.pointed = null;
  if (draft && draftIsBuilt()) forgetDraft();
  offerPages(); offerLevels(); lists(); tellSelected(); tellClip(); tick();
  $('figures').textContent = now.figures;
  const fresh = state.fresh = new Map(changed.reverse().map(({ name, kind }) => [name, kinds[kind]]));
  setTimeout(() => { if (state.fresh === fresh) { state.fresh = new Map(); draw(); } }, MARKED);
  say(changed.length ? `new build: ${counted(fresh.size, 'sprite differs', 'sprites differ')}` : 'new build');
  redraw();
}

async function ask(body) {
  const answer = await fetch('rules', { method: 'POST', body: JSON.stringify({ rules: rules(), ...body }) });
  const told = await answer.json();
  if (!answer.ok) throw new Error(told.what);
  return told;
}

// The difference first; only what was shown is written.
async function offerToWrite() {
  try {
    const { file, difference, was } = await ask({ write: false });
    $('write-file').textContent = file;
    $('difference').replaceChildren(...difference.split('\n').map(line => make('span', line + '\n', { className: { '+': 'added', '-': 'gone' }[line[0]] || '' })));
    $('write-now').onclick = async () => {
      $('write').close();
      try { await ask({ write: true, was }); say(`written into ${file}`); } catch (error) { toldErrors([{ what: error.message }]); }
    };
    $('write').showModal();
  } catch (error) { toldErrors([{ what: error.message }]); }
}

const events = new EventSource('../events');
events.addEventListener('built', e => { const { atlas: name, build } = JSON.parse(e.data); toldErrors([]); if (name === now.name) take(build); });
events.addEventListener('failed', e => toldErrors(JSON.parse(e.data)));
events.onopen = () => { $('lost').hidden = true; };
events.onerror = () => { $('lost').hidden = false; };
$('write-lines').hidden = !given.live.project;
$('write-lines').onclick = offerToWrite;
const others = given.live.atlases;
$('atlases-label').hidden = others.length < 2;
$('atlases').append(...others.map(name => make('option', name, { value: name })));
$('atlases').value = now.name;
$('atlases').onchange = e => location.assign(`../${e.target.value}/`);
