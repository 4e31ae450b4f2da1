import { inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { Observable } from 'rxjs';
import { Notices } from './notices';
import { TrayActions } from './tray.state';

/** Makes a function that runs a request adding lines to the tray, loads the tray again and says what was added. Call in an injection context. */
export function toTray() {
  const [notices, actions] = [inject(Notices), inject(Store)];
  return <Answer>(work: Observable<Answer>, said: (answer: Answer) => string, done: (answer: Answer) => void = () => undefined): void => {
    work.subscribe({
      next: (answer) => {
        actions.dispatch(TrayActions.load());
        notices.done(said(answer));
        done(answer);
      },
      error: notices.failed,
    });
  };
}
