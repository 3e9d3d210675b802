// Two binds side by side: a kept result in a second pane, in the same pose and seen from the
// same side as the weights of now.
import { getBuffer } from './api.js';
import { openBundle } from './bundle.js';
import { recordsOf } from './pose.js';
import { on, set, store } from './session.js';
import { Skin } from './skin.js';
import { tableOf } from './weights.js';

const tray = document.getElementById('tray');

export class Beside {
  constructor(plate) {
    this.plate = plate;
    this.name = '';
    this.skin = null;
    tray.addEventListener('click', (e) => {
      const b = e.target.closest('[data-beside]');
      if (b) this.open(b.getAttribute('aria-pressed') === 'true' ? '' : b.dataset.beside);
    });
    const pressed = () => { for (const b of tray.querySelectorAll('[data-beside]')) b.setAttribute('aria-pressed', b.dataset.beside === store.beside); };
    on('beside character', pressed);
    document.addEventListener('trayloaded', pressed);
  }

  // open shows a kept result beside; "" ends it.
  async open(name) {
    this.close();
    if (!name) return;
    const c = store.character, { view } = this.plate;
    try {
      const [mesh, kept] = await Promise.all([getBuffer(`/view/mesh/${c.head}`), getBuffer(`/view/kept/${c.head}/${encodeURIComponent(name)}`)]);
      if (store.character !== c) return;
      this.skin = new Skin(openBundle(mesh), view.renderer);
      this.columns = openBundle(kept);
      this.skin.setWeights(tableOf(this.columns, c.joints.map((j) => j.name), this.skin.vertices, recordsOf(c.binding)), c.joints, c.binding?.records.length ?? 1, this.plate.columns.mix);
    } catch (e) {
      set({ say: e.message });
      return;
    }
    this.name = name;
    this.key = `${c.mesh}/${c.joints.map((j) => j.name)}`;
    view.scene.add(this.skin.group);
    view.setPanes(['free', 'free']);
    const [a, b] = view.panes;
    a.label.textContent = 'Now';
    b.label.textContent = name;
    const follow = (from, to) => from.controls.addEventListener('change', () => {
      if (to.camera.position.equals(from.camera.position) && to.controls.target.equals(from.controls.target) && to.camera.zoom === from.camera.zoom) return;
      to.camera.position.copy(from.camera.position);
      to.camera.zoom = from.camera.zoom;
      to.controls.target.copy(from.controls.target);
      to.camera.updateProjectionMatrix();
      to.controls.update();
    });
    follow(a, b);
    follow(b, a);
    view.before = (p) => {
      this.plate.skin.group.visible = p !== b;
      this.skin.group.visible = p === b;
    };
    this.pose(this.plate.posed.skin);
    this.plate.show();
    set({ beside: name });
  }

  // holds reports whether what is shown is still of the character.
  holds(c) { return !this.skin || (this.key === `${c.mesh}/${c.joints.map((j) => j.name)}` && c.kept?.includes(this.name)); }

  pose(matrices) { this.skin?.setPose(matrices); }

  show(how) { this.skin?.show(how); }

  close() {
    if (!this.skin) return;
    const { view, skin } = this.plate;
    view.before = null;
    skin.group.visible = true;
    view.scene.remove(this.skin.group);
    this.skin.dispose();
    this.skin = null;
    this.name = '';
    view.setPanes(['free']);
    this.plate.show();
    set({ beside: '' });
  }
}
