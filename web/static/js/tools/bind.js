// Bind: choosing the joints that the report names, and which of them deform.
import { getBuffer, upload } from '../api.js';
import { chooseAt } from '../plate.js';
import { chosenNames, on, operate, set, store } from '../session.js';

export const tool = { stage: 'bind', click: chooseAt, show: () => ({}) };

const tray = document.getElementById('tray');
const layers = () => [...new Set([...tray.querySelectorAll('.layers input:checked')].map((i) => i.value))];

// ready lets the ways be chosen that make sense: for what is marked, and one joint.
function ready() {
  for (const b of tray.querySelectorAll('[data-anew]')) b.disabled = !chosenNames().length;
  for (const b of tray.querySelectorAll('[data-give]')) b.disabled = !layers().length || (b.dataset.give === 'joint' && chosenNames().length !== 1);
}
tray.addEventListener('change', (e) => { if (e.target.closest('.layers')) ready(); });
on('chosen also', ready);
document.addEventListener('trayloaded', ready);

// carry sends a bound file, which the server keeps, and takes its weights.
async function carry(files) {
  const form = new FormData(), box = document.getElementById('carry'), value = (name) => box.querySelector(`[name=${name}]`).value;
  for (const f of files) form.append('file', f, f.name);
  set({ say: `Reading ${files[0].name}` });
  try {
    const { file } = await upload(`/api/characters/${store.id}/match`, form, () => {});
    set({ say: '' });
    await operate('carry_weights', { file, from: value('from'), within: Number(value('within')), scale: Number(value('scale')) });
  } catch (e) {
    set({ say: e.message });
  }
}
tray.addEventListener('change', async (e) => {
  const { id, files, value } = e.target;
  if (id === 'carry-file' && files.length) {
    await carry([...files]);
    e.target.value = '';
  }
  if (id === 'carry-from' && value) {
    const name = e.target.selectedOptions[0].text;
    e.target.value = '';
    try { await carry([new File([await getBuffer(`/characters/${value}/handoff/glb`)], `${name}.glb`)]); } catch (x) { set({ say: x.message }); }
  }
});

tray.addEventListener('click', (e) => {
  const give = e.target.closest('[data-give]'), anew = e.target.closest('[data-anew]');
  if (anew) operate('bind_joints', { joints: chosenNames(), method: anew.parentElement.querySelector('[name=anew]').value });
  if (give) operate('give_pieces', { parts: layers(), how: give.dataset.give, ...(give.dataset.give === 'joint' && { joint: chosenNames()[0] }) });
  const b = e.target.closest('[data-deform]');
  const take = e.target.closest('[data-take]');
  if (take) operate('take_result', { name: take.dataset.take, joints: chosenNames() });
  if (b) operate('set_deform', { joints: chosenNames(), deform: b.dataset.deform });
});
