import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { CLASHES, KINDS, Kind, Link, LinkEnd, PASSES, Passing, Property, isHeldAt, linkEndWords, sameDefinition } from '@rule/core/schema';
import { Decision, LEADS, Lead, VaultDefinition, leadOf, passingOf, proofTable } from '@rule/core/vault';
import { AutoCompleteModule } from 'primeng/autocomplete';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { RuleChoices, RuleColumn, RuleSelect, RuleTable, RuleTip } from '../kit';
import { FileChoices } from '../shared';
import { SampleStore } from './answers.store';

/** Outcomes of a check-in in words. */
export const OUTCOMES: Readonly<Record<Decision['action'], string>> = {
  equal: 'nothing to do',
  in: 'file to record',
  out: 'record to file',
  ask: 'you are asked',
  stays: 'both stay as they are',
};

/** A possible link target. */
interface EndChoice {
  readonly label: string;
  readonly value: string;
}

const keyOf = (end: LinkEnd): string => ('property' in end ? `${end.of === 'model' ? 'm' : 'p'}${end.property}` : `${end.place}:${end.name}`);

/** Default of a new link. */
export const newLink = (field = ''): Omit<Link, 'id'> => ({
  field,
  kinds: ['part'],
  classes: [],
  at: [],
  ...passingOf('both'),
  states: [],
  step: null,
});

/** Editor of a link: field, scope, addresses and lead, with a table of outcomes. */
@Component({
  selector: 'rule-link-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [SampleStore],
  imports: [RuleTip, RuleColumn, RuleTable, AutoCompleteModule, ButtonModule, DialogModule, FormsModule, RuleChoices, RuleSelect],
  template: `
    <p-dialog
      closeAriaLabel="Close"
      [header]="number() === null ? 'Add a link to the draft' : 'Change a link in the draft'"
      [modal]="true"
      [visible]="link() !== null"
      (visibleChange)="closed.emit()"
      [style]="{ width: '760px' }"
    >
      @if (edited(); as l) {
        <form (ngSubmit)="save()">
          <div class="two">
            <div class="field">
              <span id="l-field">Record field</span>
              <rule-select name="field" labelledBy="l-field" [options]="fields()" [ngModel]="l.field" (ngModelChange)="set({ field: $event })" />
            </div>
            <div class="field">
              <span id="l-leads">Leads</span>
              <rule-select
                name="leads"
                labelledBy="l-leads"
                [options]="leads"
                placeholder="set in detail below"
                [ngModel]="leadOf(l)"
                (ngModelChange)="lead($event)"
              />
            </div>
            <div class="field">
              <span id="l-kinds">Kinds of files</span>
              <rule-choices name="kinds" labelledBy="l-kinds" [options]="kinds" [ngModel]="l.kinds" (ngModelChange)="set({ kinds: $event })" />
            </div>
            <div class="field">
              <span id="l-classes">Classes</span>
              <rule-choices
                name="classes"
                labelledBy="l-classes"
                placeholder="all"
                [options]="classes()"
                [ngModel]="l.classes"
                (ngModelChange)="set({ classes: $event })"
              />
            </div>
          </div>

          <fieldset>
            <legend>Addresses in files, the first that holds a value counts</legend>
            <ol>
              @for (end of l.at; track $index) {
                <li>
                  <span>{{ endWords(end) }}</span>
                  @if ($index > 0) {
                    <button type="button" class="link" [attr.aria-label]="'Move ' + endWords(end) + ' up'" (click)="up($index)">up</button>
                  }
                  <button type="button" class="link" [attr.aria-label]="'Remove ' + endWords(end)" (click)="drop($index)">remove</button>
                </li>
              } @empty {
                <li class="soft">None yet.</li>
              }
            </ol>
            <div class="two">
              <div class="field">
                <span id="l-property">Add a property</span>
                <rule-select
                  name="property"
                  labelledBy="l-property"
                  [options]="ends()"
                  optionLabel="label"
                  optionValue="value"
                  placeholder="choose"
                  [ngModel]="null"
                  (ngModelChange)="add($event)"
                />
              </div>
              <div class="field">
                <span id="l-sample">Or a name from a sample file</span>
                <p-autocomplete
                  appendTo="body"
                  name="sample"
                  ariaLabel="Sample file"
                  placeholder="path of a file"
                  [suggestions]="$any(samples.files())"
                  optionLabel="path"
                  [minQueryLength]="0"
                  [completeOnFocus]="true"
                  [forceSelection]="true"
                  [ngModel]="sample()"
                  (completeMethod)="samples.look($event.query)"
                  (ngModelChange)="take($event)"
                />
              </div>
            </div>
            @if (names().length) {
              <ul class="names" aria-label="Names in the sample file">
                @for (name of names(); track name.key) {
                  <li>
                    <button type="button" class="link mono" [disabled]="name.linked" (click)="addName(name.place, name.name)">{{ name.name }}</button>
                    <span class="soft">{{ name.text }}{{ name.linked ? ', linked' : '' }}</span>
                  </li>
                }
              </ul>
            }
          </fieldset>

          @if (leadOf(l) === 'a workflow step' || l.step !== null) {
            <div class="field">
              <span id="l-step">Set by the step</span>
              <rule-select
                name="step"
                labelledBy="l-step"
                [options]="steps()"
                placeholder="choose a step"
                [ngModel]="l.step"
                (ngModelChange)="set({ step: $event })"
              />
            </div>
          } @else {
            <div class="three">
              <div class="field">
                <span id="l-in">In</span>
                <rule-select name="in" labelledBy="l-in" [options]="passes" [ngModel]="l.in" (ngModelChange)="set({ in: $event })" />
              </div>
              <div class="field">
                <span id="l-out">Out</span>
                <rule-select name="out" labelledBy="l-out" [options]="passes" [ngModel]="l.out" (ngModelChange)="set({ out: $event })" />
              </div>
              <div class="field">
                <span id="l-clash">On clash</span>
                <rule-select name="onClash" labelledBy="l-clash" [options]="clashes" [ngModel]="l.onClash" (ngModelChange)="set({ onClash: $event })" />
              </div>
            </div>
            <div class="three">
              @for (state of definition().states; track state) {
                <div class="field">
                  <span [id]="'l-state-' + $index">In state {{ state }}</span>
                  <rule-select
                    [name]="'state' + $index"
                    [labelledBy]="'l-state-' + $index"
                    [options]="stateLeads"
                    [ngModel]="stateLead(state)"
                    (ngModelChange)="setState(state, $event)"
                  />
                </div>
              }
            </div>
          }
          <p class="soft">What the next check-in does</p>
          <rule-table label="What the next check-in does" [rows]="proofs()" key="situation" class="proof">
            <ng-container *ruleColumn="let proof of proofs(); name: 'When'">{{ proof.situation }}</ng-container>
            <ng-container *ruleColumn="let proof of proofs(); name: 'File'">{{ proof.file ?? '–' }}</ng-container>
            <ng-container *ruleColumn="let proof of proofs(); name: 'Record'">{{ proof.record ?? '–' }}</ng-container>
            <ng-container *ruleColumn="let proof of proofs(); name: 'Outcome'">
              <span [class.warn]="proof.decision.action === 'ask'" [ruleTip]="proof.decision.reason">{{ outcomes[proof.decision.action] }}</span>
            </ng-container>
            @for (entry of l.states; track entry.state) {
              <ng-container *ruleColumn="let proof of proofs(); let i = index; name: 'In state ' + entry.state">
                {{ outcomes[proofOf(entry)[i]!.decision.action] }}
              </ng-container>
            }
          </rule-table>
          @if (problem(); as text) {
            <p class="note bad" role="alert">{{ text }}</p>
          }
          <div class="actions">
            <p-button type="submit" label="Save" [disabled]="!complete()" />
            @if (number() !== null) {
              <p-button type="button" severity="secondary" label="Remove link" (onClick)="removed.emit()" />
            }
          </div>
        </form>
      }
    </p-dialog>
  `,
  styles: `
    .two,
    .three {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 0 12px;
    }
    .three {
      grid-template-columns: repeat(3, 1fr);
    }
    .field rule-select,
    .field rule-choices,
    .field p-autocomplete {
      width: 100%;
      min-width: 0;
    }
    fieldset {
      border: 1px solid var(--line);
      border-radius: 4px;
      margin: 0 0 12px;
      padding: 6px 12px 0;
    }
    legend {
      color: var(--soft);
      padding: 0 4px;
    }
    ol {
      margin: 0 0 8px;
      padding-left: 20px;
    }
    ol button {
      margin-left: 10px;
    }
    .names {
      list-style: none;
      margin: 0 0 10px;
      padding: 0;
      max-height: 132px;
      overflow: auto;
      columns: 2;
    }
    .names .soft {
      margin-left: 6px;
    }
    .proof {
      margin-bottom: 12px;
    }
  `,
})
export class LinkEditor {
  private readonly sampled = inject(SampleStore);
  readonly link = input<Omit<Link, 'id'> | null>(null);
  /** The edited link's number; `null` for a new one. */
  readonly number = input<number | null>(null);
  readonly definition = input.required<VaultDefinition>();
  readonly properties = input.required<readonly Property[]>();
  readonly classes = input<readonly string[]>([]);
  readonly problem = input<string | null>(null);
  readonly saved = output<Omit<Link, 'id'>>();
  readonly removed = output();
  readonly closed = output();

  protected readonly edited = signal<Omit<Link, 'id'> | null>(null);
  protected readonly samples = new FileChoices(KINDS);
  protected readonly sample = signal<{ readonly id: number; readonly path: string } | null>(null);
  protected readonly leads = [...LEADS];
  protected readonly stateLeads = ['as above', ...LEADS.filter((lead) => lead !== 'a workflow step')];
  protected readonly leadOf = leadOf;
  protected readonly proofOf = proofTable;
  protected readonly proofs = computed(() => proofTable(this.edited()!));
  protected readonly outcomes = OUTCOMES;
  protected readonly kinds = [...KINDS];
  protected readonly passes = [...PASSES];
  protected readonly clashes = [...CLASHES];

  constructor() {
    effect(() => {
      this.edited.set(this.link());
      this.sample.set(null);
      untracked(() => this.sampled.forget());
    });
  }

  protected readonly fields = computed(() => [
    ...this.definition()
      .fields.filter((field) => !field.retired)
      .map((field) => field.name),
    ...this.definition().systemFields,
  ]);
  protected readonly steps = computed(() => {
    const field = this.edited()?.field;
    return this.definition()
      .steps.filter((step) => step.sets.includes(field ?? ''))
      .map((step) => step.name);
  });
  /** Linkable properties: of files, sheets, variants, and for drawings of the model. */
  protected readonly ends = computed<EndChoice[]>(() => {
    const link = this.edited();
    if (!link) return [];
    const taken = new Set(link.at.map(keyOf));
    const own = this.properties()
      .filter((property) => property.kinds.some((kind) => link.kinds.includes(kind)) && reachable(property))
      .map((property) => ({ label: property.level === 'document' ? property.caption : `${property.caption} (${property.level})`, value: `p${property.id}` }));
    const ofModel = link.kinds.includes('drawing')
      ? this.properties()
          .filter((property) => isHeldAt(property, 'document') && property.kinds.some((kind: Kind) => kind === 'part' || kind === 'assembly'))
          .map((property) => ({ label: `${property.caption} of the model`, value: `m${property.id}` }))
      : [];
    return [...own, ...ofModel].filter((choice) => !taken.has(choice.value));
  });
  /** Names in the sample file, linked ones marked. */
  protected readonly names = computed(() => {
    const link = this.edited();
    const taken = new Set(link?.at.map(keyOf) ?? []);
    const written = new Map(this.properties().map((property) => [property.writtenName, `p${property.id}`]));
    return (this.sampled.file()?.holders ?? [])
      .filter((holder) => holder.key === '')
      .flatMap((holder) => holder.values)
      .flatMap((value) => (value.place === 'property' || value.place === 'field' ? [{ ...value, place: value.place }] : []))
      .map(({ place, name, held }) => ({
        key: `${place}:${name}`,
        place,
        name,
        text: held.text,
        linked: taken.has(`${place}:${name}`) || taken.has(written.get(name) ?? ''),
      }));
  });
  protected readonly complete = computed(() => {
    const link = this.edited();
    return link !== null && link.field !== '' && link.kinds.length > 0 && link.at.length > 0 && (leadOf(link) !== 'a workflow step' || link.step !== '');
  });

  protected endWords(end: LinkEnd): string {
    const captions = new Map(this.properties().map((property) => [property.id, property.caption]));
    return linkEndWords(end, (id) => captions.get(id) ?? `property ${id}`);
  }
  protected set(change: Partial<Link>): void {
    this.edited.update((link) => link && { ...link, ...change });
  }
  protected lead(lead: Lead): void {
    const steps = this.steps();
    this.set({ ...passingOf(lead), step: lead === 'a workflow step' ? (steps[0] ?? '') : null, ...(lead === 'a workflow step' ? { states: [] } : {}) });
  }
  protected stateLead(state: string): string {
    const entry = this.edited()?.states.find((other) => other.state === state);
    return entry ? (leadOf({ ...entry, step: null }) ?? 'as above') : 'as above';
  }
  protected setState(state: string, lead: Lead | 'as above'): void {
    const rest = this.edited()!.states.filter((entry) => entry.state !== state);
    const passing: Passing | null = lead === 'as above' ? null : passingOf(lead);
    const order = this.definition().states;
    const states = passing ? [...rest, { state, ...passing }] : rest;
    this.set({ states: states.sort((a, b) => order.indexOf(a.state) - order.indexOf(b.state)) });
  }
  protected add(value: string | null): void {
    if (value === null) return;
    const property = Number(value.slice(1));
    this.append(value.startsWith('m') ? { property, of: 'model' } : { property });
  }
  /** Known names are linked as properties, so renames follow. */
  protected addName(place: 'property' | 'field', name: string): void {
    const known = place === 'property' ? this.properties().find((property) => property.writtenName === name) : undefined;
    this.append(known ? { property: known.id } : { place, name });
  }
  private append(end: LinkEnd): void {
    const { at } = this.edited()!;
    if (!at.some((other) => sameDefinition(other, end))) this.set({ at: [...at, end] });
  }
  protected up(index: number): void {
    const at = [...this.edited()!.at];
    [at[index - 1], at[index]] = [at[index]!, at[index - 1]!];
    this.set({ at });
  }
  protected drop(index: number): void {
    this.set({ at: this.edited()!.at.filter((_, i) => i !== index) });
  }
  protected take(file: { readonly id: number; readonly path: string } | null): void {
    this.sample.set(file);
    this.sampled.forget();
    if (file && typeof file === 'object') this.sampled.look(file.id);
  }
  protected save(): void {
    if (this.complete()) this.saved.emit(this.edited()!);
  }
}

/** Whether a record can hold a property. */
const reachable = (property: Property): boolean => isHeldAt(property, 'document') || property.level === 'sheet' || property.level === 'variant';
