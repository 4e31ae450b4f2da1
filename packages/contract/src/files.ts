import { Level, Place, SheetReading } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { Kind } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';

/** A file in a list. */
export interface FileRow {
  readonly id: number;
  readonly library: number;
  readonly path: string;
  readonly folder: string;
  readonly name: string;
  readonly kind: Kind;
  /** Name of its class. */
  readonly class: string | null;
  /** Why it cannot be read. */
  readonly problem: string | null;
  /** Why it cannot be written. */
  readonly lock: string | null;
  /** Who locked it, if not part of the reason, and since when. */
  readonly lockBy?: string | null;
  readonly lockSince?: string | null;
  /** Workflow state; `null` outside the vault. */
  readonly state?: string | null;
}

/** A library with its folder. */
export interface Library {
  readonly id: number;
  readonly name: string;
  readonly root: string;
  /** A server folder, or uploads. */
  readonly kind: 'folder' | 'upload';
  readonly files: number;
  readonly unread: number;
  readonly surveyedAt: string | null;
  /** Whether its folder is confirmed; not yet after a restore. */
  readonly confirmed: boolean;
}

/** A library's new folder. */
export interface LibraryPlace {
  readonly path: string;
}

/** Result of a scan. */
export interface RescanReport {
  readonly added: number;
  readonly changed: number;
  readonly removed: number;
  readonly unchanged: number;
  readonly failed: readonly { readonly path: string; readonly message: string }[];
  /** Moved files, which keep their data. */
  readonly moved: number;
  /** Hidden files, links and lock files. */
  readonly passedOver: number;
}

/** All data about a file. */
export interface FileDetails {
  readonly file: FileRow & {
    readonly libraryName: string;
    readonly size: number;
    readonly hash: string;
    readonly format: string;
    /** Whether it has a vault record. */
    readonly inVault: boolean;
  };
  readonly version: string;
  readonly holders: readonly {
    readonly level: Level;
    readonly key: string;
    readonly label: string;
    readonly values: readonly { readonly place: Place; readonly name: string; readonly held: HeldValue; readonly standIn: boolean }[];
  }[];
  readonly notes: readonly string[];
  /** A drawing's model. */
  readonly model: Match | null;
  readonly paths: Readonly<Record<number, string>>;
  readonly sheets: readonly SheetReading[];
  /** Defined cells missing in inserts. */
  readonly missingCells: readonly { readonly block: string; readonly layout: string; readonly tags: readonly string[] }[];
  /** Assemblies placing it, with counts. */
  readonly usedIn: readonly { readonly file: number; readonly path: string; readonly times: number }[];
  readonly drawings: readonly { readonly file: number; readonly path: string }[];
  /** Files with the same name, and with the same bytes. */
  readonly sameName: readonly { readonly file: number; readonly path: string }[];
  readonly sameContent: readonly { readonly file: number; readonly path: string }[];
  readonly history: readonly {
    readonly changeSet: number;
    readonly title: string;
    readonly by: string;
    readonly at: string;
    readonly state: string;
    readonly lines: readonly { readonly name: string; readonly holder: string; readonly before: string | null; readonly after: string | null }[];
  }[];
}

/** Result of an upload. */
export interface UploadOutcome {
  readonly path: string;
  readonly outcome: 'added' | 'replaced' | 'same' | 'refused' | 'passed over';
  readonly message: string | null;
}

/** A new upload library. */
export interface UploadDraft {
  readonly name: string;
}

/** A server folder to register. */
export interface LibraryDraft {
  readonly name: string;
  readonly path: string;
}

/** A drawing's model; `null` for automatic. */
export interface SettleModel {
  readonly model: number | null;
}

/** A copy's part file; `null` for automatic. */
export interface SettlePart {
  readonly product: string;
  readonly part: number | null;
}
