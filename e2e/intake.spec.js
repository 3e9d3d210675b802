import AxeBuilder from '@axe-core/playwright';
import { expect, test } from './test.js';
import validator from 'gltf-validator';
import { copy, errors, marrow, open } from './open.js';

const saying = (page) => page.locator('.saying');

test('one action and two decisions mend Odile as delivered; what is left is listed', async ({ page }) => {
  const bad = errors(page);
  await open(page, 'Odile as delivered', 'intake');
  const safe = page.getByRole('button', { name: 'Make safe repairs' });
  await safe.hover();
  await expect(page.locator('.safe .preview')).toContainText('pieces 5 → 1');
  await safe.click();
  await expect(saying(page)).toContainText(/findings \d+ → 3/);
  await expect(page.locator('.told .steps li')).not.toHaveCount(0);
  await expect(page.locator('.finding')).toHaveCount(3);
  await page.getByRole('button', { name: /Scale by 0.01/ }).click();
  await expect(saying(page)).toContainText('caled by 0.01, made z up');
  await page.getByRole('button', { name: 'Triangulate them' }).first().click();
  await expect(page.locator('.finding[data-code=many_sided_faces]')).toHaveCount(0);
  await expect(page.locator('.spine [data-stage=intake]')).toHaveClass('clear');
  for (let i = 0; i < 3; i++) { const s = await page.locator('#undo').getAttribute('title'); await page.keyboard.press('Control+z'); await expect(page.locator('#undo')).not.toHaveAttribute('title', s); }
  await expect(page.locator('.finding[data-code=doubled_faces]')).toHaveCount(1);
  expect(bad).toEqual([]);
});

test('the places of a finding are stepped through, and the view follows', async ({ page }) => {
  await open(page, 'Bram', 'intake');
  const finding = page.locator('.finding[data-code=crossing_pieces]');
  await finding.getByRole('button', { name: 'Show' }).click();
  await expect(finding.locator('.stepper')).toContainText('All 10 spots');
  const all = await marrow(page, (m) => m.store.finding.where.faces.length);
  await finding.getByRole('button', { name: 'Next spot' }).click();
  await expect(finding.locator('.stepper')).toContainText('1 of 10');
  expect(await marrow(page, (m) => m.store.finding.where.faces.length)).toBeLessThan(all);
  const eye = await marrow(page, (m) => m.plate.view.panes[0].camera.position.toArray());
  await page.keyboard.press(']');
  await expect(finding.locator('.stepper')).toContainText('2 of 10');
  expect(await marrow(page, (m) => m.plate.view.panes[0].camera.position.toArray())).not.toEqual(eye);
  await page.keyboard.press('[');
  await page.keyboard.press('[');
  await expect(finding.locator('.stepper')).toContainText('All 10 spots');
  await page.keyboard.press('Escape');
  await expect(finding.locator('.stepper')).toHaveCount(0);
});

test('a threshold says live what it would weld, and changes nothing', async ({ page }) => {
  const id = await open(page, 'Odile as delivered', 'intake');
  const head = await marrow(page, (m) => m.store.character.head);
  await page.getByRole('button', { name: 'Bake the transform into the vertices' }).click();
  await expect(saying(page)).toContainText('Baked');
  const form = page.locator('form[data-op=weld]');
  await form.locator('.threshold').fill('-3');
  await expect(form.locator('.preview')).toContainText(/vertices 16,\d+ → 16,\d+/);
  const touched = await marrow(page, (m) => m.store.would.vertices.length);
  expect(touched).toBeGreaterThan(100);
  const left = (text) => Number(/→ ([\d,]+)/.exec(text)?.[1].replace(/,/g, '') ?? 1e9);
  const before = left(await form.locator('.preview').textContent());
  await form.locator('[name=distance]').fill('1000');
  await expect.poll(async () => left(await form.locator('.preview').textContent())).toBeLessThan(before);
  const now = await (await page.request.get(`/api/characters/${id}`)).json();
  expect(now.head).toBe(await marrow(page, (m) => m.store.character.head));
  await page.keyboard.press('Escape');
  await page.locator('#undo').click();
  await expect.poll(() => marrow(page, (m) => m.store.character.head)).toBe(head);
});

test('parts are separated, named, hidden and left out of the bind', async ({ page }) => {
  const id = await copy(page, 'Bram', 'Parts');
  await page.goto(`/characters/${id}/intake`);
  await expect(page.locator('body[data-ready]')).toBeAttached();
  const rows = page.locator('#parts tbody tr');
  const before = await rows.count();
  const name = page.getByRole('textbox', { name: 'Name of part button_1' });
  await name.fill('top button');
  await name.press('Enter');
  await expect(page.getByRole('textbox', { name: 'Name of part top button' })).toBeVisible();
  const triangles = await marrow(page, (m) => m.plate.skin.mesh.geometry.index.count);
  await page.getByRole('checkbox', { name: 'Show top button' }).uncheck();
  await expect(saying(page)).toContainText('Hid: top button');
  expect(await marrow(page, (m) => m.plate.skin.mesh.geometry.index.count)).toBeLessThan(triangles);
  await page.getByRole('checkbox', { name: 'Bind lantern', exact: true }).uncheck();
  await expect(saying(page)).toContainText('Took out of the bind: lantern');
  for (const n of ['button_2', 'button_3']) await page.getByRole('checkbox', { name: `Choose ${n} for joining` }).check();
  await page.getByRole('button', { name: 'Join checked parts' }).click();
  await expect(rows).toHaveCount(before - 1);
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
});

test('faces are chosen in the view, cut and dropped', async ({ page }) => {
  const id = await copy(page, 'Odile', 'Faces');
  await page.goto(`/characters/${id}/intake`);
  await expect(page.locator('body[data-ready]')).toBeAttached();
  await page.keyboard.press('f');
  const pane = await page.locator('#panes').boundingBox();
  const at = [pane.x + pane.width / 2, pane.y + pane.height * 0.42];
  await page.mouse.click(...at);
  await expect(page.locator('#faces .chosen p')).toContainText(/Face \d+, 4 sides, in oilskin, piece 1/);
  const face = await marrow(page, (m) => [...m.store.faces][0]);
  await page.keyboard.down('Shift');
  await page.mouse.click(at[0], at[1] + 40);
  await page.keyboard.up('Shift');
  await expect(page.locator('#faces .chosen p')).toContainText(`2 faces, the first of them ${face}`);
  const faces = await marrow(page, (m) => m.store.character.facts.faces);
  await page.getByRole('button', { name: 'Triangulate', exact: true }).click();
  await expect(saying(page)).toContainText('Cut 2 faces into 4 triangles');
  expect(await marrow(page, (m) => m.store.character.facts.faces)).toBe(faces + 2);
  await page.keyboard.down('Alt');
  await page.mouse.click(...at);
  await page.keyboard.up('Alt');
  await expect(page.locator('#faces .chosen p')).toContainText(/faces, the first/);
  await page.locator('#faces').getByRole('button', { name: 'Deselect' }).click();
  await expect(page.locator('#faces .hint')).toBeVisible();
});

test('the views of the intake: pieces, normals, subdivided, a distance', async ({ page }) => {
  const bad = errors(page);
  await open(page, 'Bram', 'intake');
  const drawn = () => marrow(page, (m) => ({ hairs: m.plate.skin.overlays.hairs?.visible ?? false, fine: m.plate.skin.fine?.geometry.index.count ?? 0, base: m.plate.skin.mesh.geometry.index.count, painted: m.plate.skin.painted }));
  await page.keyboard.press('o');
  expect((await drawn()).hairs).toBe(true);
  await page.keyboard.press('y');
  expect((await drawn()).painted).toBe(true);
  await page.keyboard.press('u');
  await expect.poll(async () => (await drawn()).fine).toBeGreaterThan(3.9 * (await drawn()).base);
  await page.keyboard.press('u');
  await expect.poll(async () => (await drawn()).fine).toBeGreaterThan(15.5 * (await drawn()).base);
  await page.keyboard.press('u');
  await expect.poll(async () => (await drawn()).fine).toBe(0);
  await page.keyboard.press('f');
  await page.keyboard.press('d');
  const pane = await page.locator('#panes').boundingBox();
  const x = pane.x + pane.width / 2;
  await page.mouse.click(x, pane.y + pane.height * 0.4);
  await page.mouse.click(x, pane.y + pane.height * 0.5);
  const said = await page.locator('.length').textContent();
  const scale = await marrow(page, (m) => m.plate.view.metresPerPixel(m.plate.view.panes[0]));
  expect(Number.parseFloat(said)).toBeGreaterThan(95 * 0.1 * pane.height * scale);
  expect(Number.parseFloat(said)).toBeLessThan(130 * 0.1 * pane.height * scale);
  await page.keyboard.press('Escape');
  await expect(page.locator('.length')).toBeHidden();
  expect(bad).toEqual([]);
});

test('a newer file is compared before it is taken', async ({ page }) => {
  const id = await copy(page, 'Odile', 'Redelivered');
  const obj = (await (await page.request.get(`/characters/${id}/handoff/obj`)).body()).toString();
  await page.goto(`/characters/${id}/intake`);
  await expect(page.locator('body[data-ready]')).toBeAttached();
  await page.locator('#delivery').setInputFiles({ name: 'odile_v2.obj', mimeType: 'text/plain', buffer: Buffer.from(obj.replace(/^v (\S+) (\S+) (\S+)/, (_, x, y, z) => `v ${Number(x) + 0.02} ${y} ${z}`)) });
  const dialog = page.locator('dialog[open]');
  await expect(dialog).toContainText('same faces and order; 1 of');
  await dialog.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.locator('#undo')).toBeDisabled();
  await page.locator('#delivery').setInputFiles({ name: 'odile_v2.obj', mimeType: 'text/plain', buffer: Buffer.from(obj.replace(/^f .*\n/m, '')) });
  await expect(dialog).toContainText('same vertex count');
  await dialog.getByRole('button', { name: 'Take it' }).click();
  await expect(saying(page)).toContainText('Took the newer delivery odile_v2.obj');
  await expect(page.locator('.facts')).not.toHaveCount(0);
  await expect(page.locator('.facts dd', { hasText: 'odile_v2.obj' })).toBeVisible();
  await page.locator('#delivery').setInputFiles({ name: 'broken.obj', mimeType: 'text/plain', buffer: Buffer.from('v 1 2') });
  await expect(saying(page)).toContainText('line 1');
});

test('the report to print names findings, numbers and places', async ({ page }) => {
  const bad = errors(page);
  const id = await open(page, 'Odile as delivered', 'intake');
  await page.goto(`/characters/${id}/report`);
  await expect(page.locator('h1')).toContainText('Mesh check');
  await expect(page.locator('article.harms', { hasText: 'size_or_axis' })).toContainText('means meters');
  await expect(page.locator('article', { hasText: 'open_borders' }).locator('.spots li').first()).toContainText('edges');
  await expect(page.locator('article img').first()).toBeVisible();
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  expect(bad).toEqual([]);
});

// A file with a picture, vertex colours, a second set of texture coordinates and
// a shape target comes out whole, and the Khronos validator has no complaint.
test('what passes through is valid at the handoff', async ({ page }) => {
  const floats = (...list) => new Float32Array(list);
  const arrays = [floats(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0), floats(0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1), floats(0, 0, 1, 0, 1, 1, 0, 1), floats(0, 0, 0.5, 0, 0.5, 0.5, 0, 0.5), floats(1, 0, 0, 0, 1, 0, 0, 0, 1, 1, 1, 1), floats(0, 0, 0, 0, 0, 0.5, 0, 0, 0, 0, 0, 0), new Uint16Array([0, 1, 2, 0, 2, 3])];
  const parts = arrays.map((a) => Buffer.from(a.buffer));
  let at = 0;
  const views = parts.map((p) => { const v = { buffer: 0, byteOffset: at, byteLength: p.length }; at += p.length; return v; });
  const accessor = (bufferView, type, extra = {}) => ({ bufferView, componentType: 5126, count: 4, type, ...extra });
  const png = 'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR4nGP4//8/AAX+Av6nNYGEAAAAAElFTkSuQmCC';
  const gltf = {
    asset: { version: '2.0' }, scene: 0, scenes: [{ nodes: [0] }], nodes: [{ mesh: 0, name: 'sail' }],
    meshes: [{ primitives: [{ attributes: { POSITION: 0, NORMAL: 1, TEXCOORD_0: 2, TEXCOORD_1: 3, COLOR_0: 4 }, indices: 6, material: 0, targets: [{ POSITION: 5 }] }], weights: [0], extras: { targetNames: ['billow'] } }],
    materials: [{ name: 'canvas', pbrMetallicRoughness: { baseColorTexture: { index: 0, texCoord: 1 }, metallicFactor: 0 }, doubleSided: true }],
    textures: [{ source: 0, sampler: 0 }], samplers: [{ wrapS: 33071 }], images: [{ uri: `data:image/png;base64,${png}` }],
    accessors: [accessor(0, 'VEC3', { min: [0, 0, 0], max: [1, 1, 0] }), accessor(1, 'VEC3'), accessor(2, 'VEC2'), accessor(3, 'VEC2'), accessor(4, 'VEC3'), accessor(5, 'VEC3', { min: [0, 0, 0], max: [0, 0, 0.5] }), { bufferView: 6, componentType: 5123, count: 6, type: 'SCALAR' }],
    bufferViews: views, buffers: [{ byteLength: at, uri: `data:application/octet-stream;base64,${Buffer.concat(parts).toString('base64')}` }],
  };
  const made = await (await page.request.post('/api/characters', { multipart: { file: { name: 'sail.gltf', mimeType: 'model/gltf+json', buffer: Buffer.from(JSON.stringify(gltf)) }, name: 'Sail' } })).json();
  await page.goto(made.url);
  await expect(page.locator('.facts', { hasText: 'billow' })).toBeVisible();
  const glb = await (await page.request.get(`/characters/${made.id}/handoff/glb`)).body();
  const report = await validator.validateBytes(new Uint8Array(glb));
  expect(report.issues.messages.filter((m) => m.severity < 2)).toEqual([]);
  const json = JSON.parse(glb.subarray(20, 20 + glb.readUInt32LE(12)).toString());
  expect(json.materials).toEqual(gltf.materials);
  expect(json.meshes[0].extras.targetNames).toEqual(['billow']);
  expect(Object.keys(json.meshes[0].primitives[0].attributes).sort()).toEqual(['COLOR_0', 'NORMAL', 'POSITION', 'TEXCOORD_0', 'TEXCOORD_1']);
  await page.request.post(`/api/characters/${made.id}/remove`);
});

// Remedies are tried before they are offered: the number stands beside each, and doing one
// does what its trial said.
test('remedies say what came of their trial, and keep to it', async ({ page }) => {
  await open(page, 'Odile as delivered', 'intake');
  const finding = page.locator('.finding', { hasText: '16 loose vertices' });
  await expect(finding.locator('.tries')).toContainText('Remove them: 16 → 0', { timeout: 30_000 });
  await expect(page.locator('.finding', { hasText: 'unbaked transforms' }).locator('.tries')).toContainText('8 → 0');
  await finding.getByRole('button', { name: 'Remove them' }).click();
  await expect(saying(page)).toContainText('16');
  await expect(finding).toHaveCount(0);
});
