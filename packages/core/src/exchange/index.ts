export * from './table';
export * from './csv';
export * from './workbook';
export * from './takeback';
