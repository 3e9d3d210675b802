// The tray: the panel of the current stage, rendered by the server. Forms with
// data-op become operations; what was typed survives a reload of the panel.
import { getText } from './api.js';
import { chosenJoint, joints, on, set, store } from './store.js';
import { ask } from './ask.js';
import { reckon } from './reckon.js';
import { forgetWould, showFinding } from './intake.js';
import { chosenNames, submitPlacement } from './placement.js';

const tray = document.getElementById('tray');
let operate = async () => false;
let fresh = 0;

export function setOperate(f) { operate = f; }

const fieldKey = (f) => `${f.form?.dataset.op ?? f.form?.id}/${f.name}`;

// typed returns what was changed by hand and not sent.
export function typed() {
  const out = new Map();
  for (const f of tray.querySelectorAll('input[name], select[name]')) if (f.dataset.touched) out.set(fieldKey(f), f.type === 'checkbox' ? f.checked : f.value);
  return out;
}

tray.addEventListener('input', (e) => { if (e.target.name) e.target.dataset.touched = '1'; });

export async function loadTray() {
  const turn = ++fresh;
  const keep = typed();
  const top = tray.scrollTop;
  let html;
  try {
    html = await getText(`/characters/${store.id}/tray/${store.stage}`);
  } catch (e) {
    html = `<p class="begin" role="alert"></p>`;
    if (turn === fresh) { tray.innerHTML = html; tray.firstChild.textContent = e.message; }
    return;
  }
  if (turn !== fresh) return;
  const same = tray.dataset.stage === store.stage;
  tray.innerHTML = html;
  tray.dataset.stage = store.stage;
  tray.scrollTop = same ? top : 0;
  for (const f of tray.querySelectorAll('input[name], select[name]')) {
    const v = keep.get(fieldKey(f));
    if (v === undefined) continue;
    if (f.type === 'checkbox') f.checked = v; else f.value = v;
    f.dataset.touched = '1';
  }
  for (const form of tray.querySelectorAll('form[data-op]')) form.params = () => paramsOf(form);
  fill();
  document.dispatchEvent(new CustomEvent('trayloaded'));
}

// paramsOf reads a form: numbers as numbers, in the unit of the operation.
function paramsOf(form, submitter) {
  const out = {};
  for (const f of form.elements) {
    if (!f.name) continue;
    if (f.type === 'checkbox') out[f.name] = f.checked;
    else if (f.type === 'number') out[f.name] = Number(f.value) * Number(f.dataset.scale ?? 1);
    else if (f.dataset.number !== undefined) out[f.name] = Number(f.value);
    else out[f.name] = f.value;
  }
  if (submitter?.dataset.chosen !== undefined) out.joints = chosenJoint() ? [chosenJoint().name] : [];
  return out;
}

tray.addEventListener('submit', async (e) => {
  const form = e.target;
  if (form.id === 'move') { e.preventDefault(); await move(form); return; }
  if (['swing', 'insert', 'reparent', 'pattern', 'starter', 'again'].includes(form.id)) {
    e.preventDefault();
    if (['swing', 'insert', 'reparent', 'pattern'].includes(form.id) && !chosenJoint()) { set({ say: 'Choose a joint first, in the view or the ledger.' }); return; }
    const fields = [...form.elements].filter((f) => f.dataset.touched);
    if (await submitPlacement(form)) fields.forEach((f) => delete f.dataset.touched);
    return;
  }
  if (!form.dataset.op) return;
  e.preventDefault();
  if (e.submitter?.dataset.chosen !== undefined && !chosenJoint()) { set({ say: 'Choose a joint first, in the view or the ledger.' }); return; }
  const params = paramsOf(form, e.submitter);
  if (form.id === 'rename') params.joint = chosenJoint().name;
  if (form.dataset.op === 'stretch_chain') Object.assign(params, { joint: chosenNames()[0], both: store.both });
  forgetWould();
  const fields = [...form.elements].filter((f) => f.dataset.touched);
  fields.forEach((f) => delete f.dataset.touched);
  if (!await operate(form.dataset.op, params)) fields.forEach((f) => { f.dataset.touched = '1'; });
});

async function move(form) {
  const to = [];
  for (const name of ['x', 'y', 'z']) {
    const v = reckon(form.elements[name].value);
    form.elements[name].setAttribute('aria-invalid', Number.isNaN(v));
    if (Number.isNaN(v)) { form.elements[name].focus(); set({ say: `“${form.elements[name].value}” is no length. Type centimetres or a unit, such as 12.5, 3 mm or 10+2.5.` }); return; }
    to.push(v / 100);
  }
  for (const f of form.elements) delete f.dataset.touched;
  await operate('move_joint', { joint: chosenJoint().name, to, branch: store.branch, both: store.both });
}

tray.addEventListener('click', async (e) => {
  const go = e.target.closest('[data-goto]');
  if (go) { e.preventDefault(); document.querySelector(`.spine [data-stage=${go.dataset.goto}] a`).click(); return; }
  const show = e.target.closest('[data-show]');
  if (show) { await showFinding(show.dataset.from, show.dataset.show); return; }
  const mend = e.target.closest('button[data-op]');
  if (mend) {
    if (mend.dataset.confirm && !await ask(mend.textContent, mend.dataset.confirm, mend.textContent)) return;
    forgetWould();
    await operate(mend.dataset.op, JSON.parse(mend.dataset.params || '{}'));
    return;
  }
  const row = e.target.closest('tr[data-joint]');
  if (row) set({ chosen: joints().findIndex((j) => j.name === row.dataset.joint) });
});
tray.addEventListener('keydown', (e) => { if (e.key === 'Enter' && e.target.matches('tr[data-joint]')) e.target.click(); });

// fill puts the chosen joint, its angles and the probe into the panel.
function fill() {
  const j = chosenJoint();
  for (const b of tray.querySelectorAll('[data-show]')) {
    const on = store.finding?.code === b.dataset.show && store.finding.stage === b.dataset.from;
    b.setAttribute('aria-pressed', on);
  }
  for (const r of tray.querySelectorAll('tr[data-joint]')) r.classList.toggle('chosen', r.dataset.joint === j?.name);
  const moveForm = tray.querySelector('#move');
  if (moveForm) {
    moveForm.hidden = !j;
    tray.querySelector('#rename').hidden = !j;
    moveForm.parentElement.querySelector('.hint').hidden = Boolean(j);
    if (j) {
      moveForm.querySelector('h4').textContent = j.name;
      moveForm.querySelector('.reason').textContent = j.reason ? `${Math.round(100 * j.confidence)} % sure: ${j.reason}.` : 'Placed by hand.';
      coordinates(j.pos);
      const name = tray.querySelector('#rename [name=name]');
      if (!name.dataset.touched) name.value = j.name;
    }
    tray.querySelector('#both').checked = store.both;
    tray.querySelector('#branch').checked = store.branch;
  }
  angles();
  probe();
}

function coordinates(pos) {
  const form = tray.querySelector('#move');
  if (!form) return;
  ['x', 'y', 'z'].forEach((n, i) => { if (!form.elements[n].dataset.touched) form.elements[n].value = (100 * pos[i]).toFixed(2); });
}

function angles() {
  for (const r of tray.querySelectorAll('[name=map]')) r.checked = r.value === store.map;
  const form = tray.querySelector('#angles');
  if (!form) return;
  const j = chosenJoint();
  form.hidden = !j;
  form.parentElement.querySelector('.hint').hidden = Boolean(j);
  if (!j) return;
  form.querySelector('h4').textContent = j.end ? `${j.name} ends a chain and turns nothing` : j.name;
  const a = store.pose.get(store.chosen) ?? [0, 0, 0];
  ['x', 'y', 'z'].forEach((n, i) => {
    form.elements[n].value = a[i];
    if (document.activeElement !== form.elements[`n${n}`]) form.elements[`n${n}`].value = Math.round(10 * a[i]) / 10;
  });
}

tray.addEventListener('input', (e) => {
  const form = e.target.closest('#angles');
  if (form && store.chosen >= 0) {
    const n = e.target.name.at(-1), i = 'xyz'.indexOf(n), v = Number(e.target.value);
    if (i < 0 || !Number.isFinite(v)) return;
    delete e.target.dataset.touched;
    const a = [...(store.pose.get(store.chosen) ?? [0, 0, 0])];
    a[i] = v;
    set({ pose: new Map(store.pose).set(store.chosen, a) });
  }
  if (e.target.name === 'map') set({ map: e.target.value });
  if (e.target.id === 'both') set({ both: e.target.checked });
  if (e.target.id === 'branch') set({ branch: e.target.checked });
});

function probe() {
  const box = tray.querySelector('.probe');
  if (!box) return;
  box.replaceChildren();
  const p = store.probed;
  box.parentElement.querySelector('.hint').hidden = Boolean(p);
  if (!p) return;
  const head = document.createElement('p');
  head.textContent = `Vertex ${p.vertex} at ${p.place.map((v) => (100 * v).toFixed(1)).join(', ')} cm`;
  box.append(head);
  if (!p.movers.length) {
    const none = document.createElement('p');
    none.textContent = 'Nothing moves it: it has no weights.';
    box.append(none);
  }
  const list = document.createElement('ol');
  for (const m of p.movers) {
    const li = document.createElement('li');
    li.className = m.direct ? 'direct' : 'carried';
    li.style.setProperty('--share', m.direct ? m.weight : m.carried);
    const b = document.createElement('button');
    b.type = 'button';
    b.textContent = m.joint;
    b.addEventListener('click', () => set({ chosen: joints().findIndex((j) => j.name === m.joint) }));
    const v = document.createElement('span');
    const carries = m.carried > m.weight + 0.0005 ? `carries ${m.carried.toFixed(3)}` : '';
    v.textContent = [m.direct ? m.weight.toFixed(3) : '', carries].filter(Boolean).join(' · ');
    li.append(b, v);
    list.append(li);
  }
  box.append(list);
}

document.addEventListener('jointdragged', (e) => coordinates(e.detail));
on('chosen finding both branch', () => {
  for (const f of tray.querySelectorAll('#move input')) delete f.dataset.touched;
  fill();
});
on('pose map', angles);
on('probed', probe);
