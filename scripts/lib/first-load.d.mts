export declare const MOST_AT_FIRST: number;
export declare function firstLoad(): { readonly sizes: ReadonlyMap<string, number>; readonly total: number };
