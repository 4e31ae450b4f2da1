import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { compareNames } from '@rule/core/schema';
import { ExactName, Way } from '../shared';
import { HeldThere, PLACES, knownValues } from './known';

/** Whether the schema knows a value, and where it goes. */
@Component({
  selector: 'rule-about-value',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ExactName, RouterLink, Way],
  template: `
    @if (value(); as value) {
      <h2><rule-exact-name [name]="value.name" /></h2>
      @if (known.propertyOf(value); as property) {
        @for (violation of known.violations(value); track violation) {
          <p class="note bad">{{ property.caption }} {{ violation }}.</p>
        }
        <rule-way [property]="property.id" />
      } @else if (value.place === 'property') {
        <p class="soft">
          @if (known.nearOf(value); as near) {
            The schema has {{ near.writtenName }}, which differs in {{ differs(value, near.writtenName) }} only.
          } @else {
            The schema does not know this name.
          }
        </p>
        <p><a [routerLink]="['/survey']" [queryParams]="{ look: 'values', name: value.name }">All values of this name</a></p>
      } @else {
        <p class="soft">{{ value.place === 'fact' ? 'Said by the model itself; it is not written by Rule.' : 'A ' + places[value.place] + '.' }}</p>
      }
    } @else {
      <p class="soft">Select a value to see whether the schema knows it and where it is used.</p>
    }
  `,
})
export class AboutValue {
  readonly value = input.required<HeldThere | null>();
  protected readonly known = knownValues();
  protected readonly places = PLACES;
  protected differs(value: HeldThere, writtenName: string): string {
    return compareNames(value.name, writtenName);
  }
}
