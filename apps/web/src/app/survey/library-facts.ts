import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { Survey } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { sessionFeature, showInstant } from '../shared';

/** Where the files of a library are, how many, and when they were read. */
@Component({
  selector: 'rule-library-facts',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule],
  template: `
    <section class="card">
      <dl class="facts">
        <dt>{{ row().kind === 'upload' ? 'Uploaded files' : 'Folder on the server' }}</dt>
        <dd class="mono">{{ row().kind === 'upload' ? 'kept with the data of Rule' : row().root }}</dd>
        <dt>Files</dt>
        <dd>{{ row().files }}, of which {{ row().unread }} could not be read</dd>
        <dt>Last read</dt>
        <dd>{{ read() }}</dd>
      </dl>
      @if (mayEdit()) {
        <p-button severity="secondary" size="small" label="Read this library again" (onClick)="again.emit()" />
      }
    </section>
  `,
})
export class LibraryFacts {
  readonly row = input.required<Survey['libraries'][number]>();
  /** It shall be read again. */
  readonly again = output();
  protected readonly mayEdit = inject(Store).selectSignal(sessionFeature.selectMayEdit);
  protected readonly read = computed(() => {
    const at = this.row().surveyedAt;
    return at === null ? 'never' : showInstant(at);
  });
}
