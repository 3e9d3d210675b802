// The colours of the views, read from the style sheet so that light and dark
// agree with the page.
import { Color } from 'three';

export function ink(name) {
  return new Color(getComputedStyle(document.documentElement).getPropertyValue(name).trim() || '#888');
}

// Stops of the weight map: perceptually even in lightness, safe for colour-blind
// eyes (lightness alone orders them); zero is bare plaster and apart from it. Full
// weight stands out from the ground: dark on light, light on dark.
const onLight = ['#efe6b8', '#b9d3a0', '#74b5a0', '#3f8f9e', '#2f6390', '#33306f'];
const onDark = ['#2f2c5c', '#2f5a86', '#3b8796', '#6fb39c', '#bcd69c', '#fbf1b4'];
export const stops = () => (document.documentElement.dataset.theme === 'dark' ? onDark : onLight);

// leaderInk gives neighbouring joints colours that differ in hue and lightness.
export function leaderInk(i) {
  const hue = (i * 137.508 + 20) % 360;
  const light = [0.62, 0.46, 0.74][i % 3];
  return new Color().setHSL(hue / 360, 0.42, light);
}

// nobody is the colour of a vertex that no joint leads, as the vertex program has it.
export const nobody = { r: 0.8, g: 0.1, b: 0.1 };
