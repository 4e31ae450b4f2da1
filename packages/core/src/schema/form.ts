import { Kind, Property, PropertyLevel } from './property';

/** An input's control. */
export const INPUT_LOOKS = ['text', 'long text', 'list', 'option buttons', 'tick', 'number', 'date', 'person', 'counted'] as const;
export type InputLook = (typeof INPUT_LOOKS)[number];

/** What happens to the value of a hidden input. */
export const WHEN_HIDDEN = ['keep', 'clear', 'ask'] as const;

/** Default holders of an input: document and common values, all, or those with certain names. */
export const HOLDER_PRESETS = ['document', 'all', 'named'] as const;

/** Maximum and default columns of a panel. */
export const PANEL_COLUMNS = 4;

/** An input: a property at a level. */
export interface FormInput {
  /** Unique in the form. */
  readonly key: string;
  readonly property: number;
  readonly level: PropertyLevel;
  readonly look: InputLook;
  /** Empty for the property's own. */
  readonly caption: string;
  readonly help: string;
  /** Columns spanned. */
  readonly width: number;
  /** Conditions; empty for always visible, required as the property is, and editable. */
  readonly shownWhen: string;
  readonly requiredWhen: string;
  readonly readOnlyWhen: string;
  readonly whenHidden: (typeof WHEN_HIDDEN)[number];
  readonly holders: (typeof HOLDER_PRESETS)[number];
  readonly holderNames: readonly string[];
}

/** A group of inputs. */
export interface FormPanel {
  readonly key: string;
  readonly title: string;
  readonly shownWhen: string;
  /** Panel columns, 1 to {@link PANEL_COLUMNS}; the maximum if absent. */
  readonly columns?: number;
  readonly inputs: readonly FormInput[];
}

/** Number of columns of a panel. */
export const columnsOf = (panel: Pick<FormPanel, 'columns'>): number => panel.columns ?? PANEL_COLUMNS;

/** Columns an input spans, limited by its panel. */
export const spanOf = (panel: Pick<FormPanel, 'columns'>, input: Pick<FormInput, 'width'>): number => Math.min(input.width, columnsOf(panel));

/** A form for some kinds and classes. */
export interface EntryForm {
  readonly id: number;
  readonly name: string;
  readonly kinds: readonly Kind[];
  /** Its classes; all if empty. */
  readonly classes: readonly string[];
  readonly panels: readonly FormPanel[];
}

/** Default level of an input: where the value is typed. */
export function levelAsked(property: Pick<Property, 'level' | 'feed' | 'inheritFrom'>): PropertyLevel {
  return property.feed === 'inherited' && property.inheritFrom !== null && property.inheritFrom !== 'model' ? property.inheritFrom : property.level;
}

/** Default control for a property's type. */
export function lookOf(property: Pick<Property, 'type' | 'feed' | 'choices' | 'open'>): InputLook {
  if (property.feed === 'counted') return 'counted';
  switch (property.type) {
    case 'longtext':
      return 'long text';
    case 'choice':
      return 'list';
    case 'yesno':
      return 'tick';
    case 'number':
    case 'whole':
      return 'number';
    case 'date':
      return 'date';
    case 'person':
      return 'person';
    default:
      return 'text';
  }
}

/** Controls available to a property. */
export function looksFor(property: Pick<Property, 'type' | 'feed' | 'choices' | 'open'>): InputLook[] {
  if (property.feed === 'counted') return ['counted', 'text'];
  switch (property.type) {
    case 'choice':
      return property.open ? ['list', 'text'] : ['list', 'option buttons'];
    case 'yesno':
      return ['tick', 'option buttons', 'list'];
    case 'text':
      return ['text', 'long text'];
    default:
      return [lookOf(property)];
  }
}

/** A new input for a property. */
export const newInput = (
  key: string,
  property: Pick<Property, 'id' | 'level' | 'feed' | 'inheritFrom' | 'type' | 'choices' | 'open' | 'maxLength'>,
): FormInput => ({
  key,
  property: property.id,
  level: levelAsked(property),
  look: lookOf(property),
  caption: '',
  help: '',
  width: property.type === 'longtext' ? PANEL_COLUMNS : property.type === 'text' && (property.maxLength ?? 99) > 30 ? 2 : 1,
  shownWhen: '',
  requiredWhen: '',
  readOnlyWhen: '',
  whenHidden: 'keep',
  holders: property.level === 'variant' ? 'document' : 'all',
  holderNames: [],
});
