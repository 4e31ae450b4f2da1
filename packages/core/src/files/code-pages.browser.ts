/** Browser decoding of code pages; unknown ones are read as Western European. */
function decoder(codePage: string): TextDecoder | null {
  const name = /^cp(\d+)$/.exec(codePage)?.[1];
  // WHATWG names of other code pages.
  const label =
    name === undefined ? codePage : ({ 866: 'ibm866', 932: 'shift_jis', 936: 'gbk', 949: 'euc-kr', 950: 'big5' }[Number(name)] ?? `windows-${name}`);
  try {
    return new TextDecoder(label);
  } catch {
    return null;
  }
}

/** Decodes bytes of a code page. */
export const decodeAs = (bytes: Uint8Array, codePage: string): string => (decoder(codePage) ?? new TextDecoder('windows-1252')).decode(bytes);

/** Whether a code page can be decoded. */
export const knowsCodePage = (codePage: string): boolean => decoder(codePage) !== null;
