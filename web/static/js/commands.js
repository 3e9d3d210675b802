// Every command has a name in the finder, and most a key; buttons name them in
// data-command. Keys are single letters without modifiers, so that they never
// stand in the browser's way. The operations of the server's registry are commands
// too: each is found by its label and by what the trade calls it, and where it does
// not apply the finder says why.
import { chosenJoint, chosenNames, operate, operations, set, store } from './session.js';

const keyNames = { arrowleft: '←', arrowright: '→', arrowup: '↑', arrowdown: '↓', escape: 'Esc', delete: 'Del', enter: 'Enter' };
const keyName = (k) => k.replace(/[a-z]+$/, (w) => keyNames[w] ?? w);

const mostOfSource = 8; // joints, parts and files each, that the finder shows

export class Commands {
  constructor() {
    this.list = [];
    this.sources = []; // of what comes and goes, as joints do: f(words) returns commands
    this.found = new Map();
    this.byName = new Map();
    addEventListener('keydown', (e) => this.key(e));
    document.addEventListener('click', (e) => {
      const b = e.target.closest('[data-command]');
      if (b) this.run(b.dataset.command);
    });
    this.finder = document.getElementById('finder');
    this.input = this.finder.querySelector('input');
    this.options = this.finder.querySelector('ul');
    this.input.addEventListener('input', () => this.find());
    this.input.addEventListener('keydown', (e) => this.steer(e));
    this.options.addEventListener('click', (e) => { const li = e.target.closest('li'); if (li) this.take(li.dataset.name); });
  }

  // add adds a command. able says whether its key works now; why, for what the finder
  // shows though it does not apply, the reason ("" if it does); stage, where it belongs to
  // one; family, the sentence that stands for it and its like in the help.
  add(name, label, keys, run, able = () => true, /** @type {{words?: string, why?: () => string, stage?: string, family?: string}} */ { words = '', why, stage, family } = {}) {
    const c = { name, label, keys, run, able, words: `${label} ${words}`.toLowerCase(), why, stage, family };
    this.list.push(c);
    this.byName.set(name, c);
  }

  // addSource adds what the finder finds besides: things with { name, label, words, about, run }.
  addSource(f) { this.sources.push(f); }

  // addOperations adds what the registry has. own are the ways of tools to fill
  // parameters; goTo leads to the form of one that a person has to fill in.
  addOperations(own, goTo) {
    for (const o of operations) {
      const why = () => store.character?.refused[o.name] ?? '';
      const key = o.key && (o.key.length > 1 ? o.key.toLowerCase() : o.key);
      const run = async () => {
        if (why()) { set({ say: `${o.label}: ${why()}.` }); return; }
        if (own[o.name]) {
          if (o.stage && o.stage !== store.stage && store.character.stages.some((s) => s.name === o.stage)) await goTo(o.stage);
          own[o.name]();
          return;
        }
        const params = chosenFor(o);
        if (typeof params === 'string') set({ say: params });
        else if (params) await operate(o.name, params);
        else await this.leadTo(o, goTo);
      };
      this.add(`op-${o.name}`, o.label, key ? [key] : null, run, () => store.stage === o.stage && !why() && (o.from !== 'joints' || store.chosen >= 0), { words: `${o.words} ${o.name.replaceAll('_', ' ')}`, why, stage: o.stage });
    }
  }

  // leadTo goes to the stage of an operation and puts the focus on what does it there.
  async leadTo(o, goTo) {
    await goTo(o.stage);
    const form = document.querySelector(`#tray form[data-op=${o.name}], #tray [data-does~=${o.name}]`);
    for (let d = form?.closest('details'); d; d = d.parentElement.closest('details')) d.open = true;
    const field = form?.matches('form') ? form.querySelector('input:not([type=hidden]), select, button') : form;
    if (!field || form.hidden) { set({ say: `${o.label}: select what it applies to in the view first.` }); return; }
    field.scrollIntoView({ block: 'center' });
    field.focus();
    set({ say: `${o.label}: here.` });
  }

  run(name) {
    const c = this.byName.get(name);
    if (c?.able()) c.run();
  }

  key(e) {
    if (e.defaultPrevented || document.querySelector('dialog[open]')) return;
    const typing = e.target.closest('input:not([type=checkbox]):not([type=radio]):not([type=range]), textarea, select');
    const name = (e.ctrlKey || e.metaKey ? 'Ctrl+' : '') + (e.shiftKey && e.key.length > 1 ? 'Shift+' : '') + (e.key.length === 1 && !(e.ctrlKey || e.metaKey) ? e.key.toUpperCase() : e.key.toLowerCase());
    const undo = name === 'Ctrl+z' ? (e.shiftKey ? 'redo' : 'undo') : name === 'Ctrl+y' ? 'redo' : '';
    if (undo && !typing) { e.preventDefault(); this.run(undo); return; }
    if (typing && name === 'escape') { e.preventDefault(); leave(typing); return; }
    // Arrows belong to what has the focus, and to the view where nothing has.
    if (name.includes('arrow') && e.target.closest('input, select, .tray, .ledger')) return;
    // Enter and space press what has the focus.
    if (name === 'enter' && e.target.closest('button, a, summary, [tabindex]') && e.target.id !== 'canvas') return;
    if (typing || e.ctrlKey || e.metaKey || e.altKey) return;
    const c = this.list.find((x) => x.keys?.includes(name) && x.able());
    if (c) { e.preventDefault(); c.run(); }
  }

  openFinder() {
    this.input.value = '';
    this.find();
    this.finder.showModal();
  }

  find() {
    const words = this.input.value.toLowerCase().split(/\s+/).filter(Boolean);
    const fits = (c) => words.every((w) => c.words.includes(w));
    // What is called so comes before what the trade calls so, and what applies first.
    const rank = (c) => (c.why?.() ? 4 : 0) + (words.every((w) => c.label.toLowerCase().includes(w)) ? 0 : 2);
    const hits = this.list.filter((c) => (c.why ? words.length > 0 || c.able() : c.able()) && fits(c)).map((c, i) => [rank(c), i, c]).sort((a, b) => a[0] - b[0] || a[1] - b[1]).map((x) => x[2]);
    this.found.clear();
    if (words.length) {
      for (const f of this.sources) {
        const more = f().filter((c) => words.every((w) => c.words.includes(w)));
        for (const c of more.slice(0, mostOfSource)) { hits.push(c); this.found.set(c.name, c); }
      }
    }
    this.options.replaceChildren(...hits.map((c, i) => {
      const li = document.createElement('li');
      li.id = `find-${c.name}`;
      li.dataset.name = c.name;
      li.setAttribute('role', 'option');
      li.setAttribute('aria-selected', String(i === 0));
      const label = document.createElement('span');
      label.textContent = c.label;
      li.append(label);
      const why = c.why?.();
      if (c.about) {
        const small = document.createElement('small');
        small.textContent = c.about;
        li.append(small);
      } else if (why) {
        li.setAttribute('aria-disabled', 'true');
        const small = document.createElement('small');
        small.textContent = why;
        li.append(small);
      } else if (c.stage && c.stage !== store.stage) {
        const small = document.createElement('small');
        small.textContent = store.character.stages.find((s) => s.name === c.stage)?.title ?? '';
        li.append(small);
      } else if (c.keys?.length) { const k = document.createElement('kbd'); k.textContent = keyName(c.keys[0]); li.append(k); }
      return li;
    }));
    if (!hits.length) {
      const li = document.createElement('li');
      li.className = 'none';
      li.textContent = 'No command, joint, part or file has these words.';
      this.options.append(li);
    }
    this.point();
  }

  point() {
    const li = this.options.querySelector('[aria-selected=true]');
    this.input.setAttribute('aria-activedescendant', li?.id ?? '');
    li?.scrollIntoView({ block: 'nearest' });
  }

  steer(e) {
    const all = [...this.options.querySelectorAll('[role=option]')];
    const at = all.findIndex((li) => li.getAttribute('aria-selected') === 'true');
    if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
      e.preventDefault();
      const next = (at + (e.key === 'ArrowDown' ? 1 : all.length - 1)) % Math.max(1, all.length);
      all.forEach((li, i) => li.setAttribute('aria-selected', i === next));
      this.point();
    } else if (e.key === 'Enter') {
      e.preventDefault();
      if (all[at]) this.take(all[at].dataset.name);
    }
  }

  // take runs what was chosen in the finder; what does not apply says why.
  take(name) {
    this.finder.close();
    const c = this.byName.get(name) ?? this.found.get(name);
    if (this.found.has(name)) { c.run(); return; }
    if (c?.why ? true : c?.able()) c.run();
  }

  // help fills a table of keys and of what the mouse does: those of the stage, then those
  // that are everywhere. Keys of other stages are told there.
  help(into) {
    const keyed = this.list.filter((c) => c.keys?.length);
    const groups = [
      [store.character.stages.find((s) => s.name === store.stage)?.title ?? 'This stage', keyed.filter((c) => c.stage === store.stage)],
      ['Everywhere', keyed.filter((c) => !c.stage)],
    ];
    const row = (keys, label) => {
      const p = document.createElement('p');
      for (const k of keys) { const kbd = document.createElement('kbd'); kbd.textContent = k; p.append(kbd); }
      p.append(document.createTextNode(label));
      return p;
    };
    into.replaceChildren(...groups.concat([['With the mouse', null]]).map(([title, list]) => {
      const part = document.createElement('section');
      const h = document.createElement('h3');
      h.textContent = title;
      part.append(h);
      const families = new Map();
      for (const c of list ?? []) {
        if (!c.family) { part.append(row(c.keys.slice(0, 2).map(keyName), c.label)); continue; }
        if (!families.has(c.family)) { families.set(c.family, row([], c.family)); part.append(families.get(c.family)); }
        if (c.keys[0].startsWith('Shift+')) continue;
        const kbd = document.createElement('kbd');
        kbd.textContent = keyName(c.keys[0]);
        families.get(c.family).lastChild.before(kbd);
      }
      if (!list) for (const [keys, label] of mouse) part.append(row(keys, label));
      return part;
    }));
    into.scrollTop = 0;
  }
}

// mouse is what a hand does in the view.
const mouse = [
  [['Click'], 'Select a joint or a spot on the skin'],
  [['Shift', 'Click'], 'Select one more'],
  [['Drag'], 'Orbit (free view), pan (fixed view); on a ring, a dial or a rule: move or turn the joint'],
  [['Shift', 'Drag'], 'Move a joint straight'],
  [['Right', 'Drag'], 'Move the view'],
  [['Wheel'], 'Nearer or farther, towards the pointer'],
];

// leave goes out of a field to the view. What was typed stays, marked as not sent.
function leave(field) {
  field.blur();
  document.getElementById('canvas').focus();
}

// chosenFor are the parameters of an operation from what is chosen, a sentence where
// nothing is, null where a person has to fill them in.
function chosenFor(o) {
  switch (o.from ?? '') {
    case '': return {};
    case 'joints': return chosenNames().length ? { joints: chosenNames() } : 'Select a joint first, in the view or the ledger.';
    case 'joint': return chosenJoint() ? { joint: chosenJoint().name } : 'Select a joint first, in the view or the ledger.';
    case 'faces': return store.faces.size ? { faces: [...store.faces] } : 'Select faces first: click them at Intake.';
    default: return null;
  }
}
