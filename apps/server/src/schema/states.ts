/** Workflow states of the vault, in their order. */
export const WORKFLOW_STATES = ['open', 'in check', 'released'] as const;
