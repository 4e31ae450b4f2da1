import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { InputTextModule } from 'primeng/inputtext';
import { RouterLink } from '@angular/router';
import { KINDS, Kind, LEVELS, PropertyDraft, Slot } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { RuleOption, RuleSelect, RuleCheck } from '../../kit';
import { EditedProperty } from './edited';

/** Where the values of a property live: kinds, classes, level and homes. */
@Component({
  selector: 'rule-property-where',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleCheck, FormsModule, InputTextModule, RouterLink, RuleOption, RuleSelect],
  templateUrl: './where.html',
  styleUrl: './section.css',
})
export class PropertyReach {
  protected readonly edited = inject(EditedProperty);
  protected readonly levels = LEVELS;
  protected readonly kinds = KINDS;
  /** Homes for a kind; other names are typed separately. */
  protected homesOf(kind: Kind): { value: string; text: string }[] {
    const places = this.edited.store.places();
    const fields = (places?.fields ?? []).filter((field) => field.kind === kind && field.name !== 'file name');
    const offered = fields.map(({ name, files }) => ({ value: `field: ${name}`, text: `file field ${name} (${count(files, 'file')})` }));
    const now = this.homeText(kind);
    const home = this.edited.draft()?.homes[kind];
    const known = now === '' || home?.place === 'property' || offered.some((entry) => entry.value === now);
    return known ? offered : [...offered, { value: now, text: `${home!.place} ${home!.name} (in no file)` }];
  }
  protected homePlace(kind: Kind): string {
    const home: Slot | undefined = this.edited.draft()?.homes[kind];
    return home === undefined ? '' : home.place === 'property' ? 'property' : this.homeText(kind);
  }
  protected chooseHome(kind: Kind, value: string): void {
    this.setHome(kind, value === 'property' ? `property: ${this.edited.draft()?.writtenName ?? ''}` : value);
  }
  protected setHome(kind: Kind, text: string): void {
    const { homes } = this.edited.draft()!;
    const rest = Object.fromEntries(Object.entries(homes).filter(([other]) => other !== kind));
    const [place, ...name] = text.split(':');
    if (text.trim() === '') this.edited.set({ homes: rest });
    else if (place === 'field' || place === 'property') this.edited.set({ homes: { ...rest, [kind]: { place, name: name.join(':').trim() } } });
  }
  /** Homes with another name, by kind; blank names stay and are reported. */
  protected withHome(kind: Kind, name: string): PropertyDraft['homes'] {
    return { ...this.edited.draft()!.homes, [kind]: { place: 'property', name } };
  }
  protected homeText(kind: Kind): string {
    const home = this.edited.draft()?.homes[kind];
    return home ? `${home.place}: ${home.name}` : '';
  }
  protected setKind(kind: Kind, on: boolean): void {
    this.edited.draft.update((draft) => draft && { ...draft, kinds: KINDS.filter((candidate) => (candidate === kind ? on : draft.kinds.includes(candidate))) });
  }
  protected toggle(key: 'classes', value: string): void {
    this.edited.draft.update(
      (draft) => draft && { ...draft, [key]: draft[key].includes(value) ? draft[key].filter((other) => other !== value) : [...draft[key], value] },
    );
  }
}
