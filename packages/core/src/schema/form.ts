import { Kind, Property, PropertyLevel } from './property';

/** How an input shows its property. */
export const INPUT_LOOKS = ['text', 'long text', 'list', 'option buttons', 'tick', 'number', 'date', 'person', 'counted'] as const;
export type InputLook = (typeof INPUT_LOOKS)[number];

/** What becomes of a value whose input disappears. */
export const WHEN_HIDDEN = ['keep', 'clear', 'ask'] as const;

/** Which holders inside a file an input is preset to: the document with what is common to all, all of them, or those with certain names. */
export const HOLDER_PRESETS = ['document', 'all', 'named'] as const;

/** Columns that a panel is divided into at most, and by default. */
export const PANEL_COLUMNS = 4;

/** One question of a form: a property at the level that it is asked for. */
export interface FormInput {
  /** Unique in the form. */
  readonly key: string;
  readonly property: number;
  readonly level: PropertyLevel;
  readonly look: InputLook;
  /** Empty for the property's own. */
  readonly caption: string;
  readonly help: string;
  /** Columns that it takes, of those of its panel. */
  readonly width: number;
  /** Conditions; empty for always shown, as required as the property is, and open. */
  readonly shownWhen: string;
  readonly requiredWhen: string;
  readonly readOnlyWhen: string;
  readonly whenHidden: (typeof WHEN_HIDDEN)[number];
  readonly holders: (typeof HOLDER_PRESETS)[number];
  readonly holderNames: readonly string[];
}

/** Inputs that belong together. */
export interface FormPanel {
  readonly key: string;
  readonly title: string;
  readonly shownWhen: string;
  /** Columns of the panel, 1 to {@link PANEL_COLUMNS}; all of them in forms that do not say. */
  readonly columns?: number;
  readonly inputs: readonly FormInput[];
}

/** Columns of a panel. */
export const columnsOf = (panel: Pick<FormPanel, 'columns'>): number => panel.columns ?? PANEL_COLUMNS;

/** Columns that an input takes in its panel, never more than the panel has. */
export const spanOf = (panel: Pick<FormPanel, 'columns'>, input: Pick<FormInput, 'width'>): number => Math.min(input.width, columnsOf(panel));

/** What a designer fills in for files of some kinds and classes. */
export interface EntryForm {
  readonly id: number;
  readonly name: string;
  readonly kinds: readonly Kind[];
  /** Classes whose files it is for; all when empty. */
  readonly classes: readonly string[];
  readonly panels: readonly FormPanel[];
}

/** The level that a property is asked for at when nobody says otherwise: where its value is typed. */
export function levelAsked(property: Pick<Property, 'level' | 'feed' | 'inheritFrom'>): PropertyLevel {
  return property.feed === 'inherited' && property.inheritFrom !== null && property.inheritFrom !== 'model' ? property.inheritFrom : property.level;
}

/** The look that suits a property's type. */
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

/** Looks that a property can take. */
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

/** An input for a property as it is when it is laid out first. */
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
