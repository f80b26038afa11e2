import type { DeviceFailure } from '@/field/http-json';
import type { SendStep } from '@/field/send-report';
import { timeOfDay } from './units';

/** The words for what a send does to devices, and for what they do not do. */

export const STEP_WORDS: Readonly<Record<SendStep, string>> = {
  'sender-read': 'stream read as it is',
  'sender-map': 'channels put into the stream',
  sender: 'stream set up',
  'sender-stop': 'stream stopped',
  receiver: 'stream joined',
  'receiver-map': 'channels fed',
  'receiver-mute': 'cleared while its stream changes',
  'receiver-moment': 'switch time set',
  'receiver-leave': 'stream left',
  'sender-restore': 'sender as before',
  'receiver-restore': 'channels as before',
  'patch-read': 'patch read',
  'patch-off': 'channels off while other devices change',
  patch: 'patched',
  'patch-restore': 'patch as before',
};

export function failureWords(failure: DeviceFailure): string {
  switch (failure.kind) {
    case 'timeout':
      return `no answer within ${failure.afterMs / 1000} s`;
    case 'unreachable':
      return `cannot be reached (${failure.detail})`;
    case 'refused':
      return failure.detail === '' ? `refused (${failure.status})` : `refused (${failure.status}): ${failure.detail}`;
    case 'wrong-answer':
      return failure.detail;
    case 'not-allowed':
      return `not contacted: ${failure.host} is outside the networks that are used`;
    case 'resting':
      return `not asked: it did not answer; next attempt at ${timeOfDay(failure.untilMs)}`;
  }
}
