import { MODEL_FILE_SCHEMA } from '../../core/formats/model-file';
import { addNodeByAddress, chooseAdapters, readFieldPlaces, removeNodeByAddress } from '../field-places';
import { health } from '../health';
import { libraryVersions, openModelFile, readLibrary, removeFromLibrary, saveToLibrary } from '../library';
import { request } from './declared';
import { schemaFile } from './files';
import {
  AdaptersRequest,
  ModelFileRequest,
  NodeAddressRequest,
  RemoveModelRequest,
  SaveModelsRequest,
} from './requests';

/** What belongs to no plan: the library of models, where devices are looked for, and how the server is. */
export const HOUSE_REQUESTS = {
  /** The library of models in their newest versions. */
  ...request('GET /api/models', { answer: () => ({ models: readLibrary() }) }),
  ...request('POST /api/models', {
    body: SaveModelsRequest,
    answer: ({ body: { author, models, note } }) => ({ models: saveToLibrary({ ...author }, models, note) }),
  }),
  /** The models of a file become versions in the library. */
  ...request('POST /api/models/file', {
    body: ModelFileRequest,
    answer: ({ body: { author, content, note } }) => openModelFile({ ...author }, content, note),
  }),
  ...request('GET /api/models/schema', { answer: () => schemaFile(MODEL_FILE_SCHEMA) }),
  /** Every version of a model of the library. */
  ...request('GET /api/models/:modelId', { answer: ({ modelId }) => ({ versions: libraryVersions(modelId) }) }),
  ...request('DELETE /api/models/:modelId', {
    body: RemoveModelRequest,
    answer: ({ modelId, body: { author, after } }) => ({ models: removeFromLibrary({ ...author }, modelId, after) }),
  }),
  /** Device discovery. */
  ...request('GET /api/field/places', { answer: () => readFieldPlaces() }),
  /** Has a node read by its address from now on. */
  ...request('POST /api/field/nodes', {
    body: NodeAddressRequest,
    answer: ({ body: { author, address } }) => addNodeByAddress({ ...author }, address),
  }),
  ...request('DELETE /api/field/nodes', {
    body: NodeAddressRequest,
    answer: ({ body: { address } }) => removeNodeByAddress(address),
  }),
  /** Says by which adapters of this computer devices are talked to. */
  ...request('PUT /api/field/adapters', {
    body: AdaptersRequest,
    answer: ({ body: { author, names } }) => chooseAdapters({ ...author }, names),
  }),
  /** Whether the server can do its work, for whoever watches over it: 200, or 503 with what is wrong. */
  ...request('GET /api/health', {
    answer: () => {
      const state = health();
      return Response.json(state, { status: state.isWell ? 200 : 503, headers: { 'cache-control': 'no-store' } });
    },
  }),
};
