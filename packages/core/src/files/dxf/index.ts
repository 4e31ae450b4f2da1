import { FileFormat } from '../contract';
import { sound } from '../keys';
import { julianInstant, readDxf } from './read';
import { modifyDxf } from './write';

export { scanDxf } from './scan';
export { julianInstant };
export { boxOf, makeSheet } from './make';
export type { Outline, SheetPlan } from './make';

/** DXF, ASCII, from AC1009 on: drawings. */
export const dxf: FileFormat = { id: 'dxf', endings: ['.dxf'], read: (bytes) => sound(readDxf(bytes)), modify: modifyDxf };
