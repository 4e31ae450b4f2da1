import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { disposition } from './send';

/** Bills of materials. */
export function bomHandlers(s: Services): Handlers<NamesIn<'BOM'>> {
  return {
    'GET /bom/assemblies': () => s.boms.assemblies(),
    'GET /bom/layouts': () => s.boms.layouts(),
    'POST /bom/layouts': ({ body }) => s.boms.saveLayout(null, body),
    'PUT /bom/layouts/{layout}': ({ params, body }) => s.boms.saveLayout(params.layout, body),
    'GET /files/{file}/bom': ({ params }) => s.boms.table(params.file),
    'POST /files/{file}/bom.csv': async ({ params, body, response }) => {
      const { name, text } = await s.boms.csv(params.file, body.columns);
      response.type('text/csv; charset=utf-8').setHeader('content-disposition', disposition(name));
      response.send(text);
    },
  };
}
