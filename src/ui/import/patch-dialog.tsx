import { importPatch } from '@/core/edits/import-patch';
import { PATCH_MAX_BYTES, PATCH_WORDS, readPatchList } from '@/core/formats/patch-list';
import type { ImportProps } from './asked';
import { listKind, ListDialog } from './list-dialog';

const PATCH_LIST = listKind({
  kind: 'patch-list',
  words: PATCH_WORDS,
  read: readPatchList,
  bytesMax: PATCH_MAX_BYTES,
  title: 'Import a patch list',
  label: 'Patch list',
  hint: 'One line for each receiver channel. An empty sender leaves the channel free; an empty label, or a missing column, changes nothing.',
  hold: importPatch,
  whereOf: ({ receiver, channel }) => `${receiver} ${channel}`,
});

/** A patch list taken in: which receiver hears which sender. */
export const PatchDialog = (props: ImportProps) => <ListDialog kind={PATCH_LIST} {...props} />;
