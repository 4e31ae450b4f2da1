export { PropertyEditor } from './property-editor';
