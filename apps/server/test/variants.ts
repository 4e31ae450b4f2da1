/** A STEP file around its data. */
const stepFile = (data: readonly string[]): string => `ISO-10303-21;
HEADER;
FILE_DESCRIPTION((''),'2;1');
FILE_NAME('','',(''),(''),'','','');
FILE_SCHEMA(('AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF { 1 0 10303 442 1 1 4 }'));
ENDSEC;
DATA;
#1=REPRESENTATION_CONTEXT('','user defined attributes');
${data.join('\n')}
ENDSEC;
END-ISO-10303-21;
`;

/** A part with several variants and their materials, following the public recommended practice for user defined attributes. */
export const variants = (...materials: readonly string[]): string => {
  const data = materials.map((material, i) => {
    const n = 100 * (i + 1);
    return `#${n}=PRODUCT('V-${i + 1}','variant ${i + 1}','',());
#${n + 1}=PRODUCT_DEFINITION_FORMATION('A','',#${n});
#${n + 2}=PRODUCT_DEFINITION('design','',#${n + 1},$);
#${n + 10}=GENERAL_PROPERTY('','Material','user defined attribute');
#${n + 11}=PROPERTY_DEFINITION('Material','user defined attribute',#${n + 2});
#${n + 12}=GENERAL_PROPERTY_ASSOCIATION('user defined attribute','',#${n + 10},#${n + 11});
#${n + 13}=DESCRIPTIVE_REPRESENTATION_ITEM('Material','${material}');
#${n + 14}=REPRESENTATION('Material',(#${n + 13}),#1);
#${n + 15}=PROPERTY_DEFINITION_REPRESENTATION(#${n + 11},#${n + 14});`;
  });
  return stepFile(data);
};

/** An assembly that places products by their ids, each a number of times. */
export function assemblyOf(id: string, ...placed: readonly (readonly [product: string, times: number])[]): string {
  const product = (n: number, own: string) => `#${n}=PRODUCT('${own}','${own}','',());
#${n + 1}=PRODUCT_DEFINITION_FORMATION('A','',#${n});
#${n + 2}=PRODUCT_DEFINITION('design','',#${n + 1},$);`;
  const data = placed.flatMap(([own, times], i) => [
    product(1000 * (i + 2), own),
    ...Array.from({ length: times }, (_, at) => `#${1000 * (i + 2) + 10 + at}=NEXT_ASSEMBLY_USAGE_OCCURRENCE('${own}.${at}','${own} ${at + 1}','',#1002,#${1000 * (i + 2) + 2},$);`),
  ]);
  return stepFile([product(1000, id), ...data]);
}
