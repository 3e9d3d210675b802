// Every command has a name in the finder, and most a key; buttons name them in
// data-command. Keys are single letters without modifiers, so that they never
// stand in the browser's way.

const keyName = (k) => ({ arrowleft: '←', arrowright: '→', arrowup: '↑', arrowdown: '↓', escape: 'Esc' })[k] ?? k;

export class Commands {
  constructor() {
    this.list = [];
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

  add(name, label, keys, run, able = () => true) {
    const c = { name, label, keys, run, able };
    this.list.push(c);
    this.byName.set(name, c);
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
    // Arrows belong to what has the focus, and to the view where nothing has.
    if (name.includes('arrow') && e.target.closest('input, select, .tray, .ledger')) return;
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
    const hits = this.list.filter((c) => c.able() && words.every((w) => c.label.toLowerCase().includes(w)));
    this.options.replaceChildren(...hits.map((c, i) => {
      const li = document.createElement('li');
      li.id = `find-${c.name}`;
      li.dataset.name = c.name;
      li.setAttribute('role', 'option');
      li.setAttribute('aria-selected', i === 0);
      const label = document.createElement('span');
      label.textContent = c.label;
      li.append(label);
      if (c.keys?.length) { const k = document.createElement('kbd'); k.textContent = keyName(c.keys[0]); li.append(k); }
      return li;
    }));
    if (!hits.length) {
      const li = document.createElement('li');
      li.className = 'none';
      li.textContent = 'No command has these words.';
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

  take(name) {
    this.finder.close();
    this.run(name);
  }

  // help fills a table of all keys.
  help(into) {
    into.replaceChildren(...this.list.filter((c) => c.keys?.length).map((c) => {
      const row = document.createElement('p');
      for (const k of c.keys.slice(0, 2)) { const kbd = document.createElement('kbd'); kbd.textContent = keyName(k); row.append(kbd); }
      row.append(document.createTextNode(c.label));
      return row;
    }));
  }
}
