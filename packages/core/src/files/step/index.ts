import { FileFormat } from '../contract';
import { sound } from '../keys';
import { movedHolders, readStep } from './read';
import { modifyStep } from './write';

export { decodeString, encodeString } from './strings';
export { scanStep } from './scan';
export { makeEmptyStep } from './make';
export type { EmptyModel } from './make';
export { cutShapes } from './shapes';
export type { CutShape } from './shapes';

/** STEP (ISO 10303-21): parts and assemblies. */
export const step: FileFormat = {
  id: 'step',
  endings: ['.step', '.stp', '.p21'],
  read: (bytes) => sound(readStep(bytes)),
  modify: modifyStep,
  movedHolders,
};
