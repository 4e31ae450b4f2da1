import { DataSource } from '@angular/cdk/collections';
import { Directive, TemplateRef, booleanAttribute, inject, input } from '@angular/core';

/** Rows of a table: all of them, or a source that loads those in sight. */
export type Rows<T> = readonly T[] | DataSource<T>;

/** What a cell is written from; rows that are still loading have no cells. */
export interface RowContext<T> {
  readonly $implicit: NonNullable<T>;
  /** Place in the order that is shown. */
  readonly index: number;
}

/** A field of a row, or what is worked out from it. */
export type Of<T, R> = (keyof NonNullable<T> & string) | ((row: NonNullable<T>) => R);

/** What rows can be ordered by. Nothing comes last. */
export type Orderable = string | number | boolean | null | undefined;

/** The value of a field, or what is worked out. */
export function valueOf<T, R>(row: NonNullable<T>, of: Of<T, R>): R {
  return typeof of === 'function' ? of(row) : (row[of] as R);
}

/**
 * A column of the kit's table, written as one of its cells:
 * `<ng-container *ruleColumn="let row of rows(); name: 'File'; by: 'path'">{{ row.path }}</ng-container>`.
 */
@Directive({ selector: '[ruleColumn]' })
export class RuleColumn<T> {
  /** The rows of the table, which give the cell its type. */
  readonly ruleColumnOf = input.required<Rows<T>>();
  /** Heading. */
  readonly ruleColumnName = input('');
  /** Heading for those only who hear the table. */
  readonly ruleColumnSaid = input('');
  /** Heading of its own making, for instance a box that chooses all rows. */
  readonly ruleColumnHead = input<TemplateRef<unknown> | null>(null);
  /** Whether it holds numbers, which stand at the right and are ordered from the largest. */
  readonly ruleColumnNum = input(false, { transform: booleanAttribute });
  /** Width as a track of a grid. Lists with virtual rows need one for each column, as rows cannot agree on it. */
  readonly ruleColumnWidth = input('minmax(80px, 1fr)');
  /** Style classes of the cells: `mono`, `soft`, `nowrap` … */
  readonly ruleColumnLook = input('');
  /** What the rows can be ordered by with its heading. */
  readonly ruleColumnBy = input<Of<T, unknown> | null>(null);
  /** Whole text of a cell that may be cut off. */
  readonly ruleColumnTip = input<Of<T, unknown> | null>(null);
  readonly template = inject<TemplateRef<RowContext<T>>>(TemplateRef);

  static ngTemplateContextGuard<T>(_: RuleColumn<T>, context: unknown): context is RowContext<T> {
    return context !== null;
  }
}

/** What follows a row across all columns while it is open; virtual rows have none, as all are of one height. */
@Directive({ selector: '[ruleDetail]' })
export class RuleDetail<T> {
  readonly ruleDetailOf = input.required<Rows<T>>();
  readonly ruleDetailOpen = input.required<(row: NonNullable<T>, index: number) => boolean>();
  readonly template = inject<TemplateRef<RowContext<T>>>(TemplateRef);

  static ngTemplateContextGuard<T>(_: RuleDetail<T>, context: unknown): context is RowContext<T> {
    return context !== null;
  }
}
