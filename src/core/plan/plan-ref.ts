/** Another plan of the same server, by its id and its name. */
export interface PlanRef {
  readonly planId: string;
  readonly name: string;
}
