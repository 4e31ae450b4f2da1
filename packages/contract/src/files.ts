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
  /** Name of the file's class. */
  readonly class: string | null;
  /** Why Rule cannot read the file, if so. */
  readonly problem: string | null;
  /** Why nothing may be written into the file, if so. */
  readonly lock: string | null;
  /** Who locked it, where the reason does not say so, and since when. */
  readonly lockBy?: string | null;
  readonly lockSince?: string | null;
  /** Where it stands in the vault's workflow; `null` where no vault holds it. */
  readonly state?: string | null;
}

/** A library and where it stands. */
export interface Library {
  readonly id: number;
  readonly name: string;
  readonly root: string;
  /** A folder of the server, read where it stands, or files that were uploaded. */
  readonly kind: 'folder' | 'upload';
  readonly files: number;
  readonly unread: number;
  readonly surveyedAt: string | null;
  /** Whether someone has said that the folder is the right one: not yet so of a copy that was restored from a backup. */
  readonly confirmed: boolean;
}

/** Where a library stands from now on. */
export interface LibraryPlace {
  readonly path: string;
}

/** What a rescan found. */
export interface RescanReport {
  readonly added: number;
  readonly changed: number;
  readonly removed: number;
  readonly unchanged: number;
  readonly failed: readonly { readonly path: string; readonly message: string }[];
  /** Files that took another place; they keep what is known about them. */
  readonly moved: number;
  /** Hidden files, links and lock files, which belong to programs. */
  readonly passedOver: number;
}

/** Everything that is known about one file. */
export interface FileDetails {
  readonly file: FileRow & {
    readonly libraryName: string;
    readonly size: number;
    readonly hash: string;
    readonly format: string;
    /** Whether the vault has a record of it. */
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
  /** The model that a drawing shows. */
  readonly model: Match | null;
  readonly paths: Readonly<Record<number, string>>;
  readonly sheets: readonly SheetReading[];
  /** Cells that title blocks define and their inserts lack. */
  readonly missingCells: readonly { readonly block: string; readonly layout: string; readonly tags: readonly string[] }[];
  /** Assemblies that place the file, with how often. */
  readonly usedIn: readonly { readonly file: number; readonly path: string; readonly times: number }[];
  readonly drawings: readonly { readonly file: number; readonly path: string }[];
  /** Other files with the same name, and with the same bytes. */
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

/** What became of one uploaded file. */
export interface UploadOutcome {
  readonly path: string;
  readonly outcome: 'added' | 'replaced' | 'same' | 'refused' | 'passed over';
  readonly message: string | null;
}

/** A library of uploaded files to be begun. */
export interface UploadDraft {
  readonly name: string;
}

/** A folder of the server to be registered as a library. */
export interface LibraryDraft {
  readonly name: string;
  readonly path: string;
}

/** Which model a drawing shows; `null` leaves it to what the drawing says. */
export interface SettleModel {
  readonly model: number | null;
}

/** Which part file an assembly's copy belongs to; `null` leaves it to what the assembly says. */
export interface SettlePart {
  readonly product: string;
  readonly part: number | null;
}
