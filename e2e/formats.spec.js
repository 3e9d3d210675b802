// Each format, read by something that is not ours: three.js (its loaders for glTF, USD and COLLADA) and the reader of the open
// avatar standard for it.
import { join } from 'node:path';
import { bound, open } from './open.js';
import { expect, test } from './test.js';

const served = (page) => Promise.all([
  page.route('**/loaders/**', (route) => route.fulfill({ path: join('node_modules/three/examples/jsm', new URL(route.request().url()).pathname.split('/loaders/')[1]), contentType: 'text/javascript' })),
  page.route('**/avatar.js', (route) => route.fulfill({ path: 'node_modules/@pixiv/three-vrm/lib/three-vrm.module.min.js', contentType: 'text/javascript' })),
]);

// read has three.js read a file, and returns where it has the vertices in frames of its motion, by where they are at rest.
async function read(page, kind, bytes, frames, step) {
  return page.evaluate(async ([kind, base64, frames, step]) => {
    const data = Uint8Array.from(atob(base64), (c) => c.charCodeAt(0)), text = () => new TextDecoder().decode(data);
    const { AnimationMixer, Vector3 } = await import('three');
    let root, clips;
    if (kind === 'dae') {
      const { ColladaLoader } = await import('/loaders/loaders/ColladaLoader.js');
      const r = new ColladaLoader().parse(text(), '');
      [root, clips] = [r.scene, r.scene.animations];
    } else if (kind === 'glb') {
      const { GLTFLoader } = await import('/loaders/loaders/GLTFLoader.js');
      const r = await new GLTFLoader().parseAsync(data.buffer, '');
      [root, clips] = [r.scene, r.animations];
    } else {
      const { USDLoader } = await import('/loaders/loaders/USDLoader.js');
      root = new USDLoader().parse(kind === 'usda' ? text() : data.buffer);
      clips = root.animations;
    }
    const mixer = new AnimationMixer(root), out = [], v = new Vector3(), skinned = [];
    mixer.clipAction(clips[0]).play();
    root.traverse((o) => { if (o.isSkinnedMesh) skinned.push(o); });
    const key = (a, i) => [a.getX(i), a.getY(i), a.getZ(i)].map((x) => Math.round(x * 2e4)).join();
    for (const f of frames) {
      mixer.setTime(f * step);
      root.updateMatrixWorld(true);
      const at = {};
      for (const mesh of skinned) {
        const rest = mesh.geometry.attributes.position;
        for (let i = 0; i < rest.count; i++) { mesh.getVertexPosition(i, v).applyMatrix4(mesh.matrixWorld); at[key(rest, i)] = [v.x, v.y, v.z]; }
      }
      out.push(at);
    }
    return { out, meshes: skinned.map((m) => m.name), joints: skinned[0].skeleton.bones.length, height: Math.max(...Object.values(out[0]).map((p) => p[1])) };
  }, [kind, bytes.toString('base64'), frames, step]);
}

const frames = [3, 40, 111, 200, 333, 500];

test('USD and COLLADA bend in three.js as the GLB does', async ({ page }) => {
  test.setTimeout(240_000);
  await open(page, 'Tansy', 'handoff');
  const id = page.url().split('/').at(-2);
  const reel = await (await page.request.get(`/characters/${id}/handoff/reel`)).body();
  const made = await (await page.request.post('/api/characters', { multipart: { file: { name: 'reel.glb', mimeType: 'model/gltf-binary', buffer: reel }, name: 'In every format' } })).json();
  try {
    await page.goto(`/characters/${made.id}/handoff`);
    await page.waitForSelector('body[data-ready]');
    await served(page);
    const step = await page.evaluate(() => { const m = globalThis.marrow.store.character.motions[0]; return m.seconds / m.frames; });
    const file = async (kind) => (await page.request.get(`/characters/${made.id}/handoff/${kind}`)).body();
    const want = await read(page, 'glb', await file('glb'), frames, step);
    for (const kind of ['usda', 'usdz', 'dae']) {
      const got = await read(page, kind, await file(kind), frames, step);
      expect(got.joints, kind).toBe(want.joints);
      let worst = 0, moved = 0;
      for (const [k, f] of frames.entries()) {
        expect(Object.keys(got.out[k]).length, `${kind}, frame ${f}`).toBe(Object.keys(want.out[k]).length);
        for (const [at, p] of Object.entries(want.out[k])) {
          worst = Math.max(worst, Math.hypot(...p.map((x, i) => x - got.out[k][at][i])));
          moved = Math.max(moved, Math.hypot(...p.map((x, i) => x - want.out[0][at][i])));
        }
      }
      expect(moved, `${kind} moves`).toBeGreaterThan(0.1 * want.height);
      expect(worst, kind).toBeLessThan(2e-4 * want.height);
    }
  } finally { await page.request.post(`/api/characters/${made.id}/remove`); }
});

test('an avatar has the bones that its standard asks for', async ({ page }) => {
  const made = [];
  const id = await bound(page, 'Odile', 'Avatar', 'handoff', made);
  try {
    await served(page);
    await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'choose_profile', params: { profile: { name: 'ours', oneRoot: true, file: { format: 'vrm', avatar: { authors: ['Ada'], avatarPermission: 'everyone' } } } }, base: (await (await page.request.get(`/api/characters/${id}`)).json()).head } });
    const bytes = await (await page.request.get(`/characters/${id}/handoff/vrm?fit=1`)).body();
    const read = await page.evaluate(async (base64) => {
      const { GLTFLoader } = await import('/loaders/loaders/GLTFLoader.js');
      const { VRMLoaderPlugin } = await import('/avatar.js');
      const loader = new GLTFLoader();
      loader.register((parser) => new VRMLoaderPlugin(parser));
      const { vrm } = (await loader.parseAsync(Uint8Array.from(atob(base64), (c) => c.charCodeAt(0)).buffer, '')).userData;
      return { version: vrm.meta.metaVersion, authors: vrm.meta.authors, permission: vrm.meta.avatarPermission, hand: vrm.humanoid.getRawBoneNode('leftHand').name, bones: Object.keys(vrm.humanoid.humanBones).length };
    }, bytes.toString('base64'));
    expect(read).toMatchObject({ version: '1', authors: ['Ada'], permission: 'everyone', hand: 'hand_l' });
    expect(read.bones).toBeGreaterThanOrEqual(15);
  } finally { for (const x of made) await page.request.post(`/api/characters/${x}/remove`); }
});
