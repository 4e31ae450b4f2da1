import { HttpEventType, HttpResponse, provideHttpClient } from '@angular/common/http';
import { HttpTestingController, provideHttpClientTesting } from '@angular/common/http/testing';
import { TestBed } from '@angular/core/testing';
import { beforeEach, describe, expect, it } from '@jest/globals';
import { BomRequest } from '@rule/contract';
import { Server, problemOf } from './server';

describe('an answer in lines', () => {
  let http: HttpTestingController;
  let given: unknown[];
  let failed: string | null;
  beforeEach(() => {
    TestBed.configureTestingModule({ providers: [provideHttpClient(), provideHttpClientTesting()] });
    http = TestBed.inject(HttpTestingController);
    [given, failed] = [[], null];
    TestBed.inject(Server)
      .lines('POST /files/{file}/bom/packed', { params: { file: 7 }, body: {} as BomRequest })
      .subscribe({ next: (line) => given.push(line), error: (error: unknown) => (failed = problemOf(error).detail) });
  });
  const arrived = (partialText: string) => ({ type: HttpEventType.DownloadProgress, loaded: partialText.length, partialText }) as const;

  it('gives every line once, as soon as it is complete, and the last one without its end too', () => {
    const request = http.expectOne('/api/files/7/bom/packed');
    request.event(arrived('{"rows":'));
    expect(given).toEqual([]);
    request.event(arrived('{"rows":1}\n{"ro'));
    expect(given).toEqual([{ rows: 1 }]);
    request.event(arrived('{"rows":1}\n{"rows":2}\n{"rows":3}'));
    request.event(new HttpResponse({ body: '{"rows":1}\n{"rows":2}\n{"rows":3}' }));
    expect([given, failed]).toEqual([[{ rows: 1 }, { rows: 2 }, { rows: 3 }], null]);
  });

  it('fails in the words of the server, before the first line or after it', () => {
    const request = http.expectOne('/api/files/7/bom/packed');
    request.event(new HttpResponse({ body: '{"rows":1}\n{"problem":{"code":"internal","detail":"It broke."}}\n' }));
    expect([given, failed]).toEqual([[{ rows: 1 }], 'It broke.']);
    TestBed.inject(Server)
      .lines('POST /files/{file}/bom/packed', { params: { file: 8 }, body: {} as BomRequest })
      .subscribe({ error: (error: unknown) => (failed = problemOf(error).detail) });
    http.expectOne('/api/files/8/bom/packed').flush('{"code":"not-found","detail":"It is gone."}', { status: 404, statusText: 'Not Found' });
    expect(failed).toBe('It is gone.');
  });
});
