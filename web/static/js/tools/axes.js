// Axes: choosing joints and seeing their axes.
import { operate, store } from '../session.js';
import { chooseAt } from '../plate.js';

export const tool = {
  stage: 'axes',
  through: true,
  axes: true,
  click: chooseAt,
  show: () => ({}),
};

export const own = { set_axes: () => operate('set_axes', store.character.convention) };
