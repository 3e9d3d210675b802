// The intake: choosing faces, the table of parts, and comparing a newer file.
import { upload } from '../api.js';
import { ask } from '../ask.js';
import { on, operate, set, store } from '../session.js';

const tray = document.getElementById('tray');

export const tool = {
  stage: 'intake',
  bones: false,
  leave() { if (store.measuring) set({ measuring: false }); },
  click(plate, pane, x, y, e) {
    chooseFace(plate.picker.faceAt(pane, x, y), e.altKey ? 'part' : e.shiftKey ? 'more' : 'one', plate.skin.parts);
  },
  show: () => ({ chosen: store.faces.size ? { faces: [...store.faces] } : null, would: store.would, pieces: store.pieces, normals: store.normals }),
};

export function commands(add) {
  const here = () => store.stage === 'intake';
  add('pieces', 'Color the pieces or not', ['Y'], () => set({ pieces: !store.pieces }), here);
  add('normals', 'Show or hide the normals', ['O'], () => set({ normals: !store.normals }), here);
  add('smooth', 'Subdivided preview: one level, two, none', ['U'], smoother, here);
}

// smoother goes to the next level of the subdivided preview that this mesh allows.
function smoother() {
  const { levels, why } = store.character.smooth;
  const past = store.smooth >= levels;
  set({ smooth: past ? 0 : store.smooth + 1, ...(past && why && { say: why }) });
}

// Parts ----------------------------------------------------------------------

const partOf = (e) => e.closest('tr[data-part]')?.dataset.part;

tray.addEventListener('change', async (e) => {
  const part = partOf(e.target);
  if (!part) return;
  const t = e.target;
  if (t.classList.contains('pick')) { tray.querySelector('#join-parts').disabled = picked().length < 2; return; }
  let kept = true;
  if (t.classList.contains('shown')) kept = await operate('mark_parts', { parts: [part], hidden: !t.checked });
  if (t.classList.contains('bound')) kept = await operate('mark_parts', { parts: [part], out: !t.checked });
  if (t.classList.contains('part-name')) {
    if (t.value.trim() === part) { t.value = part; return; }
    kept = await operate('rename_part', { part, name: t.value });
  }
  if (!kept && t.type === 'checkbox') t.checked = !t.checked;
});
const picked = () => [...tray.querySelectorAll('#parts .pick:checked')].map(partOf);
tray.addEventListener('keydown', (e) => {
  if (!e.target.classList?.contains('part-name')) return;
  if (e.key === 'Enter') e.target.blur();
  if (e.key === 'Escape') { e.target.value = partOf(e.target); e.stopPropagation(); }
});
tray.addEventListener('click', (e) => {
  if (e.target.closest('#join-parts')) operate('join_parts', { parts: picked() });
  const b = e.target.closest('button[data-faces]');
  if (!b) return;
  const faces = [...store.faces];
  if (!b.dataset.faces) { set({ faces: new Set() }); return; }
  operate(b.dataset.faces, { faces }).then((kept) => { if (kept) set({ faces: new Set() }); });
});

// choosePart hides nothing: it chooses all faces of the part of a face.
function chooseFace(face, how, parts) {
  if (face < 0) { if (how === 'one') set({ faces: new Set() }); return; }
  const faces = how === 'more' ? new Set(store.faces) : new Set();
  if (how === 'part') parts.forEach((p, f) => { if (p === parts[face]) faces.add(f); });
  else if (how === 'more' && faces.has(face)) faces.delete(face);
  else faces.add(face);
  set({ faces });
}

function drawFaces() {
  const box = tray.querySelector('#faces');
  if (!box) return;
  const n = store.faces.size;
  box.querySelector('.hint').hidden = n > 0;
  box.querySelector('.chosen').hidden = n === 0;
  if (!n) return;
  const [first] = store.faces;
  box.querySelector('.chosen p').textContent = n === 1 ? `Face ${first}, ${store.faceText?.(first) ?? ''}` : `${n.toLocaleString('en')} faces, the first of them ${first}, ${store.faceText?.(first) ?? ''}`;
}

// A newer file ---------------------------------------------------------------

tray.addEventListener('change', async (e) => {
  if (e.target.id !== 'delivery' || !e.target.files.length) return;
  const files = [...e.target.files];
  e.target.value = '';
  await compare(files);
});

async function compare(files) {
  const form = new FormData();
  form.set('base', store.character.head);
  for (const f of files) form.append('file', f, f.name);
  try {
    const d = await upload(`/api/characters/${store.id}/delivery`, form, (share) => set({ say: share < 1 ? `Sending ${files[0].name}: ${Math.round(100 * share)}%` : 'Reading and comparing it' }));
    const more = [d.repeated.length ? `Repeated on it: ${d.repeated.join(', ')}.` : '', d.skipped.length ? `Could not be repeated: ${d.skipped.join('; ')}.` : '',
      { kept: 'The weights are kept, vertex by vertex.', carried: 'Weights are carried over from the nearest point of the earlier surface.', none: '' }[d.weights]].filter(Boolean).join(' ');
    set({ say: '' });
    if (await ask(`Take ${d.file}?`, `Compared with the current one: ${d.said}. ${more} You can undo.`, 'Take it')) await operate('take_delivery', d.take);
  } catch (e) { set({ say: e.message }); }
}

on('faces', drawFaces);
document.addEventListener('trayloaded', drawFaces);
