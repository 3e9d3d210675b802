// Helpers of the browser tests.
import { join } from 'node:path';
import { expect } from './test.js';

// ids are the characters of the cast by name, asked of the server: no page is drawn for it.
export async function ids(page) {
  const html = await (await page.request.get('/')).text(), out = {};
  for (const [, id, name] of html.matchAll(/<h2><a href="\/characters\/([^"]+)"[^>]*>([^<]*)<\/a>/g)) out[name] = id;
  return out;
}

export async function open(page, name, stage) {
  const id = (await ids(page))[name];
  await page.goto(`/characters/${id}/${stage}`);
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
  return id;
}

// copy makes a character of its own for a test, so that tests do not meet.
export async function copy(page, name, as) {
  const id = (await ids(page))[name];
  const obj = await (await page.request.get(`/characters/${id}/handoff/obj`)).body();
  const made = await (await page.request.post('/api/characters', { multipart: { file: { name: `${as}.obj`, mimeType: 'text/plain', buffer: obj }, name: as } })).json();
  return made.id;
}

export const marrow = (page, f, arg) => page.evaluate(([text, a]) => new Function('marrow', 'a', `return (${text})(marrow, a)`)(globalThis.marrow, a), [f.toString(), arg]);

export const joint = (page, name) => marrow(page, (m, n) => m.store.character.joints.find((j) => j.name === n), name);

export const choose = (page, name) => marrow(page, (m, n) => m.set({ chosen: m.store.character.joints.findIndex((j) => j.name === n) }), name);

// errors collects what the page complains of.
export function errors(page) {
  const list = [];
  page.on('pageerror', (e) => list.push(e.message));
  page.on('console', (m) => { if (m.type() === 'error' && !/status of (409|422|428)/.test(m.text())) list.push(m.text()); });
  return list;
}

// bound makes a bound character of a test's own and opens it at a stage; made gets its id, for the test to
// remove it.
export async function bound(page, name, as, stage, made) {
  const glb = await (await page.request.get(`/characters/${(await ids(page))[name]}/handoff/glb`)).body();
  const { id } = await (await page.request.post('/api/characters', { multipart: { file: { name: 'own.glb', mimeType: 'model/gltf-binary', buffer: glb }, name: as } })).json();
  made.push(id);
  await page.goto(`/characters/${id}/${stage}`);
  await page.waitForSelector('body[data-ready]');
  return id;
}

// framesOf are the places of the vertices of a GLB in frames of its first motion, a step apart, as three.js shows them.
export async function framesOf(page, glb, frames, step) {
  await page.route('**/loaders/**', (route) => route.fulfill({ path: join('node_modules/three/examples/jsm', new URL(route.request().url()).pathname.split('/loaders/')[1]), contentType: 'text/javascript' }));
  return page.evaluate(async ([base64, list, step]) => {
    const { GLTFLoader } = await import('/loaders/loaders/GLTFLoader.js');
    const { AnimationMixer, Vector3 } = await import('three');
    const { scene, animations } = await new GLTFLoader().parseAsync(Uint8Array.from(atob(base64), (c) => c.charCodeAt(0)).buffer, '');
    const mixer = new AnimationMixer(scene), skinned = [], out = [], v = new Vector3();
    mixer.clipAction(animations[0]).play();
    scene.traverse((o) => { if (o.isSkinnedMesh) skinned.push(o); });
    for (const f of list) {
      mixer.setTime(f * step);
      scene.updateMatrixWorld(true);
      const mesh = skinned[0], places = [];
      for (let i = 0; i < mesh.geometry.attributes.position.count; i++) { mesh.getVertexPosition(i, v).applyMatrix4(mesh.matrixWorld); places.push([v.x, v.y, v.z]); }
      out.push(places);
    }
    return out;
  }, [glb.toString('base64'), frames, step]);
}
