import { Injectable, inject } from '@angular/core';
import { MessageService } from 'primeng/api';
import { problemOf } from './server';

/** Toast messages. */
@Injectable({ providedIn: 'root' })
export class Notices {
  private readonly messages = inject(MessageService);

  done(text: string): void {
    this.messages.add({ severity: 'success', summary: text, life: 5000 });
  }

  error(text: string): void {
    this.messages.add({ severity: 'error', summary: text, life: 12_000 });
  }

  /** For the error side of a subscription. */
  failed = (error: unknown): void => this.error(problemOf(error).detail);
}
