// The colours of the views, read from the style sheet so that light and dark
// agree with the page.
import { Color } from 'three';

export function ink(name) {
  return new Color(getComputedStyle(document.documentElement).getPropertyValue(name).trim() || '#888');
}

// Stops of the weight map: perceptually even in lightness, safe for colour-blind
// eyes (lightness alone orders them); zero is bare plaster and apart from it.
export const stops = ['#efe6b8', '#b9d3a0', '#74b5a0', '#3f8f9e', '#2f6390', '#33306f'];

// leaderInk gives neighbouring joints colours that differ in hue and lightness.
export function leaderInk(i) {
  const hue = (i * 137.508 + 20) % 360;
  const light = [0.62, 0.46, 0.74][i % 3];
  return new Color().setHSL(hue / 360, 0.42, light);
}
