import 'reflect-metadata';
import { registerDecorator, type ValidationArguments } from 'class-validator';
import { shapeProblem } from '../../core/formats/shape-check';
import { channel, id, list, record } from '../../core/plan/shape';

/** So many channels are sent at once. */
const CHANNELS_MAX = 20_000;
const channels = list(record({ deviceId: id, channel }), CHANNELS_MAX, 1);

function channelsProblem(value: unknown): string | null {
  const problem = shapeProblem(channels, value);
  if (problem === null) return null;
  const at = problem.at.replace(/^\/(\d+)/, '[$1]').replaceAll('/', '.');
  return `${at === '.' ? '' : at} ${problem.problem}`;
}

/** The value is a list of receiver channels, each with its device. It is checked as it came, up to the first thing that is wrong. */
export function IsChannelList(): PropertyDecorator {
  return (target, propertyName) => {
    registerDecorator({
      name: 'isChannelList',
      target: target.constructor,
      propertyName: propertyName as string,
      validator: {
        validate: (value: unknown) => channelsProblem(value) === null,
        defaultMessage: ({ value, property }: ValidationArguments) => `${property}${channelsProblem(value) ?? ''}`,
      },
    });
  };
}
