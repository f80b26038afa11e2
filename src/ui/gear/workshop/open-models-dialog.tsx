import { useState } from 'react';
import { toast } from 'sonner';
import { MODEL_FILE_MAX_BYTES } from '@/core/formats/model-file';
import { Button, Modal } from '@/ui/parts/controls';
import { reportProblem } from '@/ui/parts/report-problem';
import { count } from '@/ui/parts/units';
import { addressOf, ApiProblem } from '@/ui/session/ask';
import { useLibraryEdits } from '@/ui/session/library';
import { FileDrop } from '@/ui/import/file-drop';
import { FileProblems } from '@/ui/import/file-problems';
import { readTextFile } from '@/ui/import/read-file';

interface Problem {
  readonly at: string;
  readonly problem: string;
}

/** Models from a file into the library: those that are new or differ become versions. */
export function OpenModelsDialog({ onClose }: { onClose: () => void }) {
  const { openFile } = useLibraryEdits();
  const [name, setName] = useState<string | null>(null);
  const [problems, setProblems] = useState<readonly Problem[]>([]);
  const open = async ([file]: readonly File[]) => {
    if (file === undefined) return;
    setName(file.name);
    setProblems([]);
    const read = await readTextFile(file, MODEL_FILE_MAX_BYTES);
    if ('problem' in read) return setProblems([{ at: '/', problem: read.problem }]);
    try {
      const { saved, same } = await openFile(read.text, `from ${file.name}`.slice(0, 200));
      toast(`Imported: ${count(saved.length, 'model')}${same > 0 ? `; ${same} as in the library already` : ''}`);
      onClose();
    } catch (error) {
      const told = error instanceof ApiProblem ? (error.details as { problems?: Problem[] } | undefined) : undefined;
      if (told?.problems === undefined) reportProblem(error, 'Not imported');
      else setProblems(told.problems);
    }
  };
  return (
    <Modal title="Import models" onClose={onClose}>
      <FileDrop
        words="Choose a file of models, or drop it here:"
        label="File of models"
        accept=".json,application/json"
        now={name}
        onFiles={(files) => void open(files)}
      >
        JSON, as exported from a model. Its{' '}
        <a
          className="underline focus-visible:outline-2 focus-visible:outline-jade"
          href={addressOf('GET /api/models/schema', {})}
          download="jade-lane-models.schema.json"
        >
          schema
        </a>{' '}
        says what may be in it.
      </FileDrop>
      <div className="mt-2">
        <FileProblems problems={problems} />
      </div>
      <div className="mt-4 flex justify-end">
        <Button onClick={onClose}>Close</Button>
      </div>
    </Modal>
  );
}
