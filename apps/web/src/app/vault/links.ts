import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { RouterLink } from '@angular/router';
import { VaultState } from '@rule/contract';
import { Link, linkEndsWords, linkFilesWords, sameDefinition } from '@rule/core/schema';
import { leadOf } from '@rule/core/vault';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleTable } from '../kit';
import { Count, showInstant } from '../shared';

/** Lead in words; other settings as how values pass. */
export function leadWords(link: Pick<Link, 'in' | 'out' | 'onClash' | 'step'>): string {
  const lead = leadOf(link);
  if (lead === 'a workflow step') return `the step ${link.step}`;
  return lead ?? `in ${link.in}, out ${link.out}, on clash ${link.onClash}`;
}

/** Links of the draft compared with those in force. */
@Component({
  selector: 'rule-vault-links',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, ButtonModule, Count, RouterLink],
  template: `
    <div class="head">
      <div>
        <h1>Links</h1>
        <p>
          Where each record field is kept in files, and which side leads.
          @if (state().at; as at) {
            The vault answered at {{ when(at) }}.
          }
        </p>
      </div>
      @if (editable()) {
        <div class="actions"><p-button label="Add a link" (onClick)="edit.emit(null)" [disabled]="state().definition.fields.length === 0" /></div>
      }
    </div>
    @if (apart(); as n) {
      <p class="note">
        {{ n | count: 'link is' : 'links are' }} not in force yet. <a routerLink="/schema" [queryParams]="{ view: 'try' }">Try the draft</a>, then bring it
        <a routerLink="/schema" [queryParams]="{ view: 'editions' }">into force</a>; until then, check-ins use the edition in force.
      </p>
    }
    <div class="card wide">
      <rule-table label="Links" [rows]="links()" key="id" empty="No record fields are linked yet.">
        <ng-container *ruleColumn="let link of links(); name: 'Record field'">{{ link.field }}</ng-container>
        <ng-container *ruleColumn="let link of links(); name: 'Files'">{{ link.files }}</ng-container>
        <ng-container *ruleColumn="let link of links(); name: 'Address in the file'">
          {{ link.words }}
          @if (link.inDraft) {
            <span class="chip">draft</span>
          }
        </ng-container>
        <ng-container *ruleColumn="let link of links(); name: 'Leads'">
          {{ link.lead }}
          @for (line of link.states; track line) {
            <small class="soft">{{ line }}</small>
          }
        </ng-container>
        <ng-container *ruleColumn="let link of links(); said: 'Change'; num: true">
          @if (editable()) {
            <button type="button" class="link" [attr.aria-label]="'Change the link of ' + link.field + ' for ' + link.files" (click)="edit.emit(link.link)">
              change
            </button>
          }
        </ng-container>
      </rule-table>
    </div>
  `,
  styles: `
    .wide {
      overflow-x: auto;
    }
    rule-table small {
      display: block;
    }
  `,
})
export class VaultLinks {
  readonly state = input.required<VaultState>();
  readonly captions = input.required<ReadonlyMap<number, string>>();
  readonly editable = input(false);
  readonly edit = output<Link | null>();
  protected readonly when = showInstant;

  protected readonly links = computed(() => {
    const inForce = new Map(this.state().links.map((link) => [link.id, link]));
    return this.state().drafted.map((link) => ({
      id: link.id,
      field: link.field,
      link,
      files: linkFilesWords(link),
      words: linkEndsWords(link.at, (id) => this.captions().get(id) ?? 'a property that is not in force yet'),
      lead: leadWords(link),
      states: link.states.map((entry) => `${entry.state}: ${leadWords({ ...entry, step: null })}`),
      inDraft: !sameDefinition(inForce.get(link.id) ?? null, link),
    }));
  });
  /** Links changed or removed in the draft. */
  protected readonly apart = computed(() => {
    const drafted = new Set(this.links().map((link) => link.id));
    const gone = this.state().links.filter((link) => !drafted.has(link.id)).length;
    return gone + this.links().filter((link) => link.inDraft).length;
  });
}
