/**
 * What stands for the decoding of code pages in a browser, which knows most of them itself. Those that it does not know are read as
 * Western European.
 */
function decoder(codePage: string): TextDecoder | null {
  const name = /^cp(\d+)$/.exec(codePage)?.[1];
  // Names by which the web knows code pages of other systems.
  const label =
    name === undefined ? codePage : ({ 866: 'ibm866', 932: 'shift_jis', 936: 'gbk', 949: 'euc-kr', 950: 'big5' }[Number(name)] ?? `windows-${name}`);
  try {
    return new TextDecoder(label);
  } catch {
    return null;
  }
}

/** Decodes bytes of a named code page. */
export const decodeAs = (bytes: Uint8Array, codePage: string): string => (decoder(codePage) ?? new TextDecoder('windows-1252')).decode(bytes);

/** Whether a code page can be decoded. */
export const knowsCodePage = (codePage: string): boolean => decoder(codePage) !== null;
