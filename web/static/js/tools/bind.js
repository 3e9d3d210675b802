// Bind: choosing the joints that the report names.
import { chooseAt } from '../plate.js';

export const tool = { stage: 'bind', click: chooseAt, show: () => ({}) };
