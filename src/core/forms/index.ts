/** The one table of forms. A new form is a folder beside this file, and a line here. */
import { statSync } from 'node:fs';
import type { FormId } from '../sheet';
import { binary } from './binary';
import type { Form, FormWork } from './form';
import { image } from './image';
import { jar } from './jar';
import { zip } from './zip';

const TABLE: { readonly [Id in FormId]: Form<Id> } = {
  zip,
  jar,
  binary,
  image,
};

/** All of them, in the order in which they are shown. */
export const FORMS: readonly Form[] = Object.values(TABLE);

/** Their names. */
export const FORM_IDS = Object.keys(TABLE) as [FormId, ...FormId[]];

/** The light part of a form. */
export function formOf(id: FormId): Form {
  return TABLE[id];
}

const open = new Map<FormId, Promise<FormWork>>();

/** The work of a form, loaded once. */
export function openForm({ id }: { readonly id: FormId }): Promise<FormWork> {
  const work = open.get(id) ?? TABLE[id].open();
  open.set(id, work);
  return work;
}

/** The work of all forms, in their order. */
export async function allForms(): Promise<FormWork[]> {
  return Promise.all(FORMS.map((form) => openForm(form)));
}

/**
 * The form of something on disk, by what it is; a zip archive is what is nothing else, and where nothing is.
 * @param path absolute
 * @param shown its name for messages
 */
export async function formOfFile(path: string, shown: string): Promise<Form> {
  const stat = statSync(path, { throwIfNoEntry: false });
  if (stat === undefined) return zip;
  for (const form of FORMS)
    if (form.id !== zip.id && form.mayBe(path, stat) && (await (await openForm(form)).isOne(path, shown))) return form;
  return zip;
}

export type {
  BaseWork,
  BlobToPush,
  FetchPartsRequest,
  Form,
  FormWork,
  LaidOut,
  Made,
  MakeRequest,
  ManifestToPush,
  OpenRequest,
  PartsWork,
  SettleBaseRequest,
} from './form';
