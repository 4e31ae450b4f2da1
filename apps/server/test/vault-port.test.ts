import { jest } from '@jest/globals';
import { createServer } from 'node:http';
import { AddressInfo } from 'node:net';
import pg from 'pg';
import { Sequelize } from 'sequelize';
import { vaultApp } from '../../vault/src/api';
import { newField } from '../../vault/src/definition';
import { VaultStore } from '../../vault/src/vault';
import { HttpVault } from '../src/vault/port';
import { MemoryVault } from './memory-vault';
import { vaultContract } from './vault-port';

jest.setTimeout(60_000);

const FIELDS = [
  newField('Title', { length: 40 }),
  newField('Number', { required: true }),
  newField('Grade', { type: 'list', choices: ['A', 'B'], initial: 'A', kinds: ['part'] }),
];

vaultContract('over HTTP, the stand-in', async () => {
  const base = process.env['RULE_TEST_DATABASE_URL']!;
  const name = `vault_port_${process.pid}_${Date.now()}`;
  const admin = async (sql: string) => {
    const client = new pg.Client({ connectionString: base });
    await client.connect();
    await client.query(sql).finally(() => client.end());
  };
  await admin(`CREATE DATABASE ${name}`);
  const sequelize = new Sequelize(base.replace(/\/[^/]*$/, `/${name}`), { dialect: 'postgres', logging: false });
  const store = new VaultStore(sequelize);
  await store.migrate();
  await store.fill({ fields: FIELDS, table: [], files: [] });
  const server = createServer(vaultApp(store, 'secret'));
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return {
    port: new HttpVault(`http://127.0.0.1:${(server.address() as AddressInfo).port}`, 'secret', 30_000),
    checkOutElsewhere: async (id, out) => void (await (out ? store.checkOut(id, 'Hedda Novak') : store.undoCheckOut(id, 'Hedda Novak'))),
    release: async (id) => {
      for (const step of ['submit', 'release']) await store.takeStep(id, 'Jori Haas', step);
    },
    close: async () => {
      server.closeAllConnections();
      server.close();
      await sequelize.close();
      await admin(`DROP DATABASE ${name} WITH (FORCE)`);
    },
  };
});

vaultContract('in memory', () => {
  const port = new MemoryVault(FIELDS.map((field) => ({ ...field, kinds: field.kinds.filter((kind) => kind !== 'document') })));
  return Promise.resolve({
    port,
    checkOutElsewhere: (id, out) => Promise.resolve(port.elsewhere(id, { checkedOutBy: out ? 'Hedda Novak' : null })),
    release: (id) => Promise.resolve(port.elsewhere(id, { state: 'released' })),
    close: () => Promise.resolve(),
  });
});
