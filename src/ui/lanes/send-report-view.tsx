import type { Plan } from '@/core/plan/plan';
import { DeviceReports } from '@/ui/sending/device-reports';
import type { LanesReport } from '@/server/messages';
import { Left } from './send-left';

/** What became of a send of lanes. */
export function SendReportView({ report, plan, started }: { report: LanesReport; plan: Plan; started: boolean }) {
  return (
    <>
      {report.notNoted === null ? null : (
        <p role="alert" className="mb-2 text-madder">
          The devices were set, but the plan could not record the result. {report.notNoted}.
        </p>
      )}
      <DeviceReports report={report} plan={plan} also={started ? '' : '; nothing is started yet'} />
      <Left left={report.left} plan={plan} />
    </>
  );
}
