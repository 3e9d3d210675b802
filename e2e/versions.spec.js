// From a broken rule to weights that come back: the last stage as a person goes through it.
import { bound, errors } from './open.js';
import { expect, test } from './test.js';

// changed is a GLB in which another program has given the first vertices to the first joint alone, and has kept what it does not know.
function changed(glb, vertices) {
  const out = Buffer.from(glb), n = out.readUInt32LE(12), doc = JSON.parse(out.subarray(20, 20 + n).toString()), body = 20 + n + 8;
  const { JOINTS_0: j, WEIGHTS_0: w } = doc.meshes[0].primitives[0].attributes;
  const at = (i) => body + (doc.bufferViews[doc.accessors[i].bufferView].byteOffset ?? 0) + (doc.accessors[i].byteOffset ?? 0);
  const size = { 5121: 1, 5123: 2, 5126: 4 }, full = { 5121: 255, 5123: 65535 };
  for (let v = 0; v < vertices; v++) {
    for (let k = 0; k < 4; k++) {
      out.writeUIntLE(0, at(j) + (4 * v + k) * size[doc.accessors[j].componentType], size[doc.accessors[j].componentType]);
      const where = at(w) + (4 * v + k) * size[doc.accessors[w].componentType], kind = doc.accessors[w].componentType;
      if (kind === 5126) out.writeFloatLE(k === 0 ? 1 : 0, where);
      else out.writeUIntLE(k === 0 ? full[kind] : 0, where, size[kind]);
    }
  }
  return out;
}

test('a rule is met, a version kept, its file changed elsewhere, recognized, and its weights brought in', async ({ page }) => {
  test.setTimeout(180_000);
  const wrong = errors(page), made = [];
  const id = await bound(page, 'Odile', 'Goes out and comes back', 'handoff', made);
  try {
    // A profile of the production's own, edited from one that ships.
    await page.locator('#profile').selectOption({ label: 'Real-time, 8 influences' });
    await expect(page.locator('.finding', { hasText: 'needs' }).or(page.locator('#plan li')).first()).toBeVisible();
    await page.locator('[data-edit-profile]').click();
    const form = page.locator('#profile-form');
    await form.locator('[name=name]').fill('House');
    await form.locator('[name=weightBits]').selectOption('');
    await form.locator('[name="names.prefix"]').fill('ch_');
    await form.getByRole('button', { name: 'Keep in this production' }).click();
    await expect(page.locator('#profile option:checked')).toHaveText('House');
    await expect(page.locator('#plan li', { hasText: 'Rename joints' })).toContainText('The skin stays');

    for (const text of await page.locator('#plan li small').allTextContents()) expect(text).not.toMatch(/e[+-]\d/);

    // The character itself is made to fit.
    await page.locator('[data-meet]').click();
    await expect.poll(() => page.evaluate(() => globalThis.marrow.store.character.joints.every((j) => j.name.startsWith('ch_')))).toBe(true);
    await expect(page.locator('#plan li', { hasText: 'Rename joints' })).toHaveCount(0);

    // Kept under a name, by its key; a name that is taken is refused, and nothing is lost.
    await page.keyboard.press('n');
    await expect(page.locator('#keep-version [name=name]')).toBeFocused();
    await page.keyboard.type('Out');
    await page.locator('#keep-version [name=note]').fill('For the first shots.');
    await page.locator('#keep-version button').click();
    const versions = page.locator('.versions li');
    await expect(versions).toHaveCount(1);
    await expect(versions.first()).toContainText('For the first shots.');
    await expect(versions.first().locator('img')).toBeVisible();
    await page.locator('#keep-version [name=name]').fill('out');
    await page.locator('#keep-version button').click();
    await expect(page.locator('body')).toContainText('has a version of that name already');

    // Downloaded: it is the same file the second time, and is listed.
    const get = async () => (await page.request.get(`/characters/${id}/handoff/glb?fit=1`)).body();
    const glb = await get();
    expect((await get()).equals(glb)).toBe(true);
    const handed = (await (await page.request.get(`/api/characters/${id}/versions`)).json()).deliveries;
    expect(handed[0]).toMatchObject({ what: 'glb', times: 2, profile: 'House' });
    const again = await (await page.request.get(`/characters/${id}/handoff/glb?${handed[0].asked}`)).body(), said = (b) => b.subarray(20, 320).toString();
    expect(said(again)).toBe(said(glb)); // to see what differs, if it does
    expect(again.equals(glb)).toBe(true);

    // What comes back is recognized by its content, and by its stamp where it was changed.
    const drop = (name, buffer) => page.locator('#which-file').setInputFiles({ name, mimeType: 'model/gltf-binary', buffer });
    await drop('same.glb', glb);
    await expect(page.locator('#which-said')).toContainText('byte for byte');
    await expect(page.locator('#which-said')).toContainText('version Out');
    await drop('changed.glb', changed(glb, 900));
    await expect(page.locator('#which-said')).toContainText('was changed elsewhere since');
    await expect(page.locator('#which-said .differs')).toContainText(/vertices have other weights, and the skin differs by up to/);
    await page.getByRole('button', { name: 'Bring in its weights' }).click();
    await page.getByRole('button', { name: 'Carry weights over' }).click();
    const first = () => page.evaluate(() => globalThis.marrow.store.character.head);
    await expect.poll(first).not.toBe(handed[0].revision);

    // What differs from the version is told, and its weights come back.
    await page.locator('[data-compare-from]').first().click();
    await expect(page.locator('#compare .differs')).toContainText('have other weights');
    await expect(page.locator('#compare tbody tr').first()).toBeVisible();
    await page.locator('#compare [name=what]').selectOption('weights');
    await page.locator('[data-restore]').click();
    await expect(page.locator('#compare .differs')).toContainText('Nothing differs');

    // Withdrawn, with a reason.
    await page.locator('[data-withdraw]').click();
    await page.getByPlaceholder('Why should it not be used?').fill('The boots are old.');
    await page.keyboard.press('Enter');
    await expect(versions.first()).toContainText('The boots are old.');
    await drop('same.glb', glb);
    await expect(page.locator('#which-said')).not.toContainText('version Out');
    expect(wrong).toEqual([]);
  } finally { for (const x of made) await page.request.post(`/api/characters/${x}/remove`); }
});

test('a file of another program, and one that is broken, are told apart from ours', async ({ page }) => {
  const made = [];
  await bound(page, 'Odile', 'Nothing of ours', 'handoff', made);
  try {
    await page.locator('#which-file').setInputFiles({ name: 'theirs.gltf', mimeType: 'model/gltf+json', buffer: Buffer.from('{"asset":{"version":"2.0","generator":"x"}}') });
    await expect(page.locator('#which-said')).toContainText('carries no stamp');
    await page.locator('#which-file').setInputFiles({ name: 'broken.glb', mimeType: 'model/gltf-binary', buffer: Buffer.from('glTF') });
    await expect(page.locator('#which-said')).toContainText('carries no stamp');
  } finally { for (const x of made) await page.request.post(`/api/characters/${x}/remove`); }
});
