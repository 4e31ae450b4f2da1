import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';

/** A link to a file's page. */
@Component({
  selector: 'rule-file',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `<a [routerLink]="['/file', id()]" [title]="path()" (click)="$event.stopPropagation()" [textContent]="text() || path()"></a>`,
  styles: `
    a {
      color: inherit;
      text-decoration: none;
      border-bottom: 1px solid var(--line);
    }
    a:hover {
      border-color: var(--verdigris);
      color: var(--verdigris);
    }
  `,
})
export class FileLink {
  readonly id = input.required<number>();
  readonly path = input.required<string>();
  /** Link text; the path by default. */
  readonly text = input('');
}
