import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { BomMember, BomTable, BomTableRow, WhereUsed } from '@rule/contract';
import { fileName } from '@rule/core/files';
import { InputNumberModule } from 'primeng/inputnumber';
import { RuleSelect } from '../kit';
import { Count, FileChoices, FileLink } from '../shared';

/** Maximum occurrences listed. */
const MOST_MEMBERS = 200;

/** Details of a row: part file, number, contents, where used. */
@Component({
  selector: 'rule-bom-row',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Count, FileLink, FormsModule, InputNumberModule, RuleSelect],
  template: `
    @let r = row();
    <h2>{{ r.item ? 'Item ' + r.item + ': ' : '' }}{{ r.label }}</h2>
    <p class="soft">
      {{
        r.bodies
          ? (r.bodies.keys.length | count: 'body' : 'bodies') + ' in one part'
          : (r.quantity | count: 'piece') + (r.parent ? ' in one of its parent' : '')
      }}{{ r.total !== r.quantity ? ', ' + (r.total | count: 'piece') + ' in the whole assembly' : '' }}.
    </p>
    @if (r.loop) {
      <p class="note bad">It contains an assembly above it and is not listed again.</p>
    }
    @if (numberable()) {
      <div class="field">
        <span id="bom-item">Item number</span>
        <p-inputnumber
          ariaLabelledBy="bom-item"
          [min]="0"
          [max]="10000000"
          [useGrouping]="false"
          [ngModel]="r.number"
          (onBlur)="type($event)"
          (keydown.enter)="type($event)"
        />
      </div>
    }
    @switch (r.match.state) {
      @case ('matched') {
        <p>Part file <rule-file [id]="r.match.file" [path]="r.path ?? ''" />{{ r.bodies ? '' : ', found by ' + r.match.by }}.</p>
      }
      @case ('ambiguous') {
        <p class="note bad">{{ r.candidates.length | count: 'file' }} could be the part file. Choose one.</p>
      }
      @default {
        <p class="note bad">No file has this product id or name, and no external reference leads to one.</p>
      }
    }
    @if (editable() && r.copyOf && !r.bodies && (r.match.state !== 'matched' || r.match.by === 'settled')) {
      <rule-select
        [options]="candidates()"
        optionLabel="path"
        optionValue="id"
        searches
        [clear]="r.match.state === 'matched'"
        (opened)="partFiles.look('')"
        (searched)="partFiles.look($event)"
        placeholder="Choose the part file"
        ariaLabel="Part file"
        [ngModel]="r.match.state === 'matched' ? r.match.file : null"
        (ngModelChange)="settled.emit($event)"
      />
      <p class="soft">Your choice is remembered for every assembly with this part.</p>
    }
    @for (entry of contradictions(); track entry.header) {
      <p class="note">
        {{ entry.header }}: the part file says {{ entry.part || 'nothing' }}, the assembly's own copy says {{ entry.copy }}. The part file leads.
      </p>
    }
    @for (entry of differing(); track entry.header) {
      <h3>{{ entry.header }} differs</h3>
      <ul>
        @for (value of entry.values; track value.text) {
          <li>
            {{ value.text || '(blank)' }} <span class="soft">{{ value.pieces | count: 'piece' }}</span>
          </li>
        }
      </ul>
    }
    @if (r.members > 1) {
      @if (members(); as list) {
        <h3>{{ list.length | count: 'occurrence' }}</h3>
        <ul class="plainlist">
          @for (member of list.slice(0, most); track member.assembly + member.occurrence) {
            <li>
              {{ member.label }} <span class="soft">in {{ leaf(member.path) }}{{ member.times > 1 ? ', ×' + member.times : '' }}</span>
              @for (i of differingColumns(); track i) {
                <span class="chip">{{ table().headers[i] }}: {{ member.cells[i]?.text || 'blank' }}</span>
              }
            </li>
          }
          @if (list.length > most) {
            <li class="soft">and {{ list.length - most }} more</li>
          }
        </ul>
      } @else {
        <button type="button" class="link" (click)="opened.emit()">Show its {{ r.members }} occurrences</button>
      }
    }
    @if (r.match.state === 'matched' && !r.bodies) {
      @if (used(); as u) {
        <h3>Used in</h3>
        <ul class="plainlist">
          @for (way of u.ways; track $index) {
            <li>
              @for (entry of way.assemblies; track $index; let last = $last) {
                <rule-file [id]="entry.id" [path]="entry.path" [text]="leaf(entry.path)" />{{ entry.times > 1 ? ' ×' + entry.times : ''
                }}{{ last ? '' : ' › ' }}
              }
              <span class="soft">{{ way.loop ? 'contains itself' : (way.total | count: 'piece') }}</span>
            </li>
          }
          @if (u.more) {
            <li class="soft">and more</li>
          }
        </ul>
      } @else {
        <p><button type="button" class="link" (click)="asked.emit(r.match.file)">Where used</button></p>
      }
    }
  `,
  styles: `
    rule-select,
    p-inputnumber {
      width: 100%;
    }
    ul {
      margin: 0 0 10px;
      padding-left: 16px;
    }
    h3 {
      margin-inline: 0;
    }
    .plainlist {
      list-style: none;
      padding: 0;
    }
    .plainlist li {
      padding: 2px 0;
      overflow-wrap: anywhere;
    }
    .chip {
      white-space: normal;
    }
  `,
})
export class BomRowView {
  readonly row = input.required<BomTableRow>();
  readonly table = input.required<BomTable>();
  readonly members = input<readonly BomMember[] | null>(null);
  readonly used = input<WhereUsed | null>(null);
  readonly editable = input(false);
  readonly numberable = input(false);
  readonly settled = output<number | null>();
  readonly numbered = output<number>();
  readonly opened = output();
  readonly asked = output<number>();
  protected readonly partFiles = new FileChoices(['part', 'assembly', 'other']);
  protected readonly leaf = fileName;
  protected readonly most = MOST_MEMBERS;

  /** Candidates, then search results. */
  protected readonly candidates = computed(() => {
    const { candidates, match, path } = this.row();
    const likely = match.state === 'matched' ? [{ id: match.file, path: path ?? '' }] : [...candidates].sort((a, b) => a.path.localeCompare(b.path));
    const known = new Set(likely.map((file) => file.id));
    return [...likely, ...this.partFiles.files().filter((file) => !known.has(file.id))];
  });
  protected readonly contradictions = computed(() =>
    this.row().cells.flatMap((cell, i) => (cell.copy === undefined ? [] : [{ header: this.table().headers[i]!, part: cell.text, copy: cell.copy }])),
  );
  protected readonly differingColumns = computed(() => this.row().cells.flatMap((cell, i) => (cell.differs ? [i] : [])));
  protected readonly differing = computed(() =>
    this.differingColumns().map((i) => ({ header: this.table().headers[i]!, values: this.row().cells[i]!.differs! })),
  );

  protected type(event: Event): void {
    const text = (event.target as HTMLInputElement).value.trim();
    if (/^\d{1,8}$/.test(text) && Number(text) !== this.row().number) this.numbered.emit(Number(text));
  }
}
