import iconv from 'iconv-lite';

/** Decodes bytes of a code page. Node's decoder reads 0x80 to 0x9F of code page 1252 as control characters, hence a package. */
export const decodeAs = (bytes: Uint8Array, codePage: string): string => iconv.decode(bytes, codePage);

/** Whether a code page can be decoded. */
export const knowsCodePage = (codePage: string): boolean => iconv.encodingExists(codePage);
