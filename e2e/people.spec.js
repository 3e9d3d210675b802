// Signing in, and the page of people, on a server of their own over the same database.
import { execFileSync } from 'node:child_process';
import { expect, serve, test } from './test.js';

let signing;

test.beforeAll(async ({ server }) => {
  execFileSync('bin/wisemarrow-server', ['people', 'add', 'Ines', '--role', 'lead'], { env: { ...process.env, WISEMARROW_DATABASE: server.database }, input: 'four boats at night\n' });
  signing = await serve(server.database, '--sign-in', '--workers', '0');
});

test.afterAll(() => signing.stop());

async function signIn(page, name, password) {
  await page.getByLabel('Name', { exact: true }).fill(name);
  await page.getByLabel('Password', { exact: true }).fill(password);
  await page.getByRole('button', { name: 'Sign in' }).click();
}

test('a lead lets somebody in, who may look and no more', async ({ page, browser }) => {
  await page.goto(`${signing.at}/people`);
  await expect(page).toHaveURL(/sign-in\?to=/);
  await signIn(page, 'Ines', 'four boats at dawn');
  await expect(page.getByRole('alert')).toContainText(/wrong name or password/i);
  await signIn(page, 'ines', 'four boats at night');
  await expect(page).toHaveURL(`${signing.at}/people`);
  const box = page.getByRole('region', { name: 'People' });
  await box.getByLabel('Name', { exact: true }).fill('Ravi');
  await box.getByLabel('First password').fill('Ravi Ravi Ravi');
  await box.locator('[name=role]').selectOption('look');
  await box.getByRole('button', { name: 'Add person' }).click();
  await expect(page.getByRole('alert')).toContainText('must not contain the name');
  await expect(box.getByLabel('Name', { exact: true })).toHaveValue('Ravi');
  await box.getByLabel('First password').fill('seven horses asleep');
  await box.getByRole('button', { name: 'Add person' }).click();
  await expect(box.getByRole('row', { name: /Ravi/ })).toBeVisible();

  const other = await (await browser.newContext()).newPage();
  await other.goto(signing.at);
  await signIn(other, 'Ravi', 'seven horses asleep');
  await expect(other.getByRole('heading', { name: 'Odile' }).first()).toBeVisible();
  await expect(other.locator('#bring')).toHaveCount(0);
  await expect(other.locator('[data-remove]')).toHaveCount(0);
  await other.getByRole('link', { name: 'Odile' }).first().click();
  await expect(other.locator('.who')).toContainText('Ravi');
  await expect(other.locator('body')).not.toHaveClass(/loading/);

  await box.getByLabel('Role of Ravi').selectOption('work');
  await expect(page.getByRole('region', { name: 'Audit' })).toContainText('made Ravi work');
  await page.getByRole('row', { name: /^Ravi/ }).getByRole('button', { name: 'New password' }).click();
  await page.getByRole('dialog').getByLabel('New password').fill('eight horses asleep');
  await page.getByRole('button', { name: 'Set password' }).click();
  await expect(page.getByRole('region', { name: 'Audit' })).toContainText('gave Ravi a new password');
  await other.goto(signing.at);
  await expect(other).toHaveURL(/sign-in/);
  await page.getByRole('row', { name: /^Ravi/ }).getByRole('button', { name: 'Remove' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Remove' }).click();
  await expect(box.getByRole('row', { name: /^Ravi/ })).toHaveCount(0);
  await page.getByRole('button', { name: 'Sign out', exact: true }).click();
  await expect(page).toHaveURL(/sign-in/);
});
