/** Heading of a view of Survey and what is said below it; without, the properties of all files are shown. */
export const LOOKS: Readonly<Record<string, { readonly title?: string; readonly said?: string }>> = {
  strays: { title: 'Names outside the schema' },
  'stand-ins': { title: 'Names with stand-ins' },
  coverage: { title: 'How far names are filled' },
  twins: { title: 'Names that probably mean the same', said: 'Suggestions with reasons. Nothing is merged until you confirm.' },
  values: { title: 'Values of a name' },
  learned: { title: 'What the library suggests', said: 'Bindings and name meanings learned from the files, with the evidence for and against each.' },
  foreign: { title: 'Foreign names', said: "What another company's names mean in your schema. Nothing is written until you apply it." },
  files: { title: 'Files by any value', said: 'All conditions must be met. Numbers and dates are compared by size.' },
  remarks: { title: 'Remarks on files', said: 'Files that cannot be read, notes from reading, and duplicate names and contents.' },
  masses: { title: 'Masses and materials', said: 'Masses in files compared with geometry, and materials in models compared with the property.' },
  kept: { title: 'What got better', said: "Earlier counts compared with today's, over the same files." },
  classes: { title: 'Classes', said: "The company's own subdivision of files. Survey can be limited to a class, and coverage shown by class." },
  library: { said: '' },
};
