import { Pipe, PipeTransform } from '@angular/core';
import { count } from '@rule/core/words';

/** A counted noun in templates: `{{ n | count: 'file' }}`. */
@Pipe({ name: 'count' })
export class Count implements PipeTransform {
  transform(n: number | null | undefined, one: string, many?: string): string {
    return n === null || n === undefined ? `… ${many ?? one}` : count(n, one, many);
  }
}
