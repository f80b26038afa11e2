import 'reflect-metadata';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsObject,
  IsString,
  Length,
  Matches,
  Max,
  MaxLength,
  Min,
  ValidateIf,
  ValidateNested,
} from 'class-validator';
import type { JsonLimits } from '../../core/formats/bounded-json';
import { MODEL_FILE_MAX_BYTES } from '../../core/formats/model-file';
import type { Model } from '../../core/models/models-table';
import type { Command } from '../../core/plan/commands';
import { VISIBLE_LINE } from '../../core/plan/visible-text';
import { AsItCame, REQUEST_LIMITS } from '../validate';
import { IsChannelList } from './channel-check';
import { IsCommandList } from './command-check';
import { IsModelVersionList } from './model-check';

/** The field may be left out; null is not nothing. */
const MayBeMissing = () => ValidateIf((_, value) => value !== undefined);

/** Text on one line, of characters that can be seen. */
const IsVisible = () =>
  Matches(new RegExp(VISIBLE_LINE, 'u'), {
    message: '$property holds characters that cannot be seen, or nothing else',
  });

type ChannelRequest = { readonly deviceId: string; readonly channel: number };

/** Who asks: a name that the browser keeps, for the journal and for undo. No secret. */
export class AuthorRequest {
  @Matches(/^[A-Za-z0-9-]{1,64}$/, { message: '$property is not an id' }) id: string;
  @IsString() @Length(1, 60) @IsVisible() name: string;
}

const BODY_MAX_BYTES = 5 * 1024 * 1024;

interface LargeRequest {
  readonly type: new () => object;
  readonly bytesMax: number;
  readonly limits: JsonLimits;
}

class Authored {
  @IsObject() @ValidateNested() @Type(() => AuthorRequest) author: AuthorRequest;
}

export class BatchRequest extends Authored {
  @IsInt() @Min(0) baseRevision: number;
  @IsString() @Length(1, 200) title: string;
  @ArrayMinSize(1)
  @ArrayMaxSize(20_000)
  @IsCommandList()
  @AsItCame()
  commands: readonly Command[];
}

export class UndoRequest extends Authored {}

const IsAuthorId = () => Matches(/^[A-Za-z0-9-]{1,64}$/, { message: '$property is not an id' });

export class ReadPlanRequest {
  /** Whose undo and redo are meant. */
  @MayBeMissing() @IsAuthorId() author?: string;
}

/** Who watches a plan. */
export class WatchRequest {
  @IsAuthorId() author: string;
  @IsString() @Length(1, 60) @IsVisible() name: string;
}

export class HistoryRequest {
  /** Where the page begins; missing: with the newest. */
  @MayBeMissing() @Type(() => Number) @IsInt() @Min(1) before?: number;
  @MayBeMissing() @Matches(/^[A-Za-z0-9._:-]{1,80}$/, { message: '$property is not an id' }) device?: string;
}

export class TakeBackRequest extends Authored {
  /** Only these records of the step; missing: all that can be. */
  @MayBeMissing()
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(20_000)
  @IsString({ each: true })
  records?: readonly string[];
}

export class NewPlanRequest {
  @IsString() @Length(1, 120) @IsVisible() name: string;
  /** The first network, so that devices get addresses from the start. */
  @MayBeMissing()
  @Matches(/^\d{1,3}(\.\d{1,3}){3}\/\d{1,2}$/, { message: '$property is not of the form 10.20.0.0/24' })
  firstNetwork?: string;
}

export class PlanNameRequest {
  @IsString() @Length(1, 120) @IsVisible() name: string;
}

export class SendRequest extends Authored {
  @IsChannelList()
  @AsItCame()
  channels: readonly ChannelRequest[];
  @IsBoolean() start: boolean;
  /** What failed is tried again: devices that are left in peace are asked all the same. */
  @MayBeMissing() @IsBoolean() isRetry?: boolean;
  /** Receivers change over together after so many milliseconds; not there: each as soon as it is sent. */
  @MayBeMissing() @IsInt() @Min(1000) @Max(3_600_000) inMs?: number;
  /** Whether devices are sent the time of day of that moment, or how long it still is. */
  @MayBeMissing() @IsIn(['clock', 'countdown']) momentBy?: 'clock' | 'countdown';
  /** By which it can be stopped. */
  @MayBeMissing() @Matches(/^[A-Za-z0-9-]{8,64}$/, { message: '$property is not an id' }) id?: string;
}

/** Devices that are to be patched as planned. */
export class PreviewPatchesRequest {
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(5000)
  @Matches(/^[A-Za-z0-9._:-]{1,80}$/, { each: true, message: '$property holds something that is not an id' })
  deviceIds: readonly string[];
}

/** Devices that this plan is to run from now on. */
export class TakeOverRequest extends Authored {
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(5000)
  @Matches(/^[A-Za-z0-9._:-]{1,80}$/, { each: true, message: '$property holds something that is not an id' })
  deviceIds: readonly string[];
}

export class SendPatchesRequest extends PreviewPatchesRequest {
  @IsObject() @ValidateNested() @Type(() => AuthorRequest) author: AuthorRequest;
  /** What failed is tried again: devices that are left in peace are asked all the same. */
  @MayBeMissing() @IsBoolean() isRetry?: boolean;
  /** By which it can be stopped. */
  @MayBeMissing() @Matches(/^[A-Za-z0-9-]{8,64}$/, { message: '$property is not an id' }) id?: string;
}

export class StopSendingRequest {
  @Matches(/^[A-Za-z0-9-]{8,64}$/, { message: '$property is not an id' }) id: string;
}

export class SendPreviewRequest {
  @IsChannelList()
  @AsItCame()
  channels: readonly ChannelRequest[];
}

export class SaveModelsRequest extends Authored {
  @ArrayMinSize(1)
  @ArrayMaxSize(1000)
  @IsModelVersionList()
  @AsItCame()
  models: readonly { readonly after: number; readonly model: Model }[];
  @IsString() @MaxLength(200) @IsVisible() note: string;
}

export class RemoveModelRequest extends Authored {
  @IsInt() @Min(1) after: number;
}

export class ModelFileRequest extends Authored {
  @IsString() @MaxLength(MODEL_FILE_MAX_BYTES) content: string;
  @IsString() @MaxLength(200) @IsVisible() note: string;
}

export class NodeAddressRequest extends Authored {
  @IsString() @Length(1, 300) @IsVisible() address: string;
}

export class AdaptersRequest extends Authored {
  /** Null: all. */
  @ValidateIf((_, value) => value !== null)
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(64)
  @IsString({ each: true })
  @Length(1, 80, { each: true })
  names: readonly string[] | null;
}

export class ReadAgainRequest {
  @MayBeMissing() @IsString() @MaxLength(80) deviceId?: string;
}

export class GeneratePlanRequest {
  @IsInt() @Min(4) @Max(5000) devices: number;
  @IsInt() @Min(0) seed: number;
}

/**
 * The requests whose bodies may be large enough to be read beside the thread that serves everyone, with what they may hold, by the names under which both
 * threads know them: those of classes are shortened when the application is built.
 */
export const LARGE_REQUESTS = {
  /** A patch list of a large plan taken in at once. */
  batch: { type: BatchRequest, bytesMax: 30_000_000, limits: { depth: 32, values: 4_000_000 } },
  takeBack: { type: TakeBackRequest, bytesMax: BODY_MAX_BYTES, limits: REQUEST_LIMITS },
  send: { type: SendRequest, bytesMax: BODY_MAX_BYTES, limits: REQUEST_LIMITS },
  sendPreview: { type: SendPreviewRequest, bytesMax: BODY_MAX_BYTES, limits: REQUEST_LIMITS },
  /** A thousand models with all their ports. */
  saveModels: { type: SaveModelsRequest, bytesMax: 5_000_000, limits: { depth: 32, values: 1_000_000 } },
  /** As JSON within JSON every quotation mark takes two octets. */
  modelFile: { type: ModelFileRequest, bytesMax: 2 * MODEL_FILE_MAX_BYTES, limits: REQUEST_LIMITS },
} as const satisfies Record<string, LargeRequest>;
export type LargeRequestName = keyof typeof LARGE_REQUESTS;
