import type { JobInfo } from "../generated/JobInfo";
import type { Order } from "../generated/Order";

/** Orders as they have their turns: those that are being made, then what waits, then all others, the newest first. */
export function inTurn(orders: readonly Order[], jobs: readonly JobInfo[]): Order[] {
  const turn = (o: Order) => {
    if (o.state === "running") return -1;
    const at = jobs.findIndex((j) => j.id === o.job);
    return (o.state === "waiting" || o.state === "held") && at >= 0 ? at : Infinity;
  };
  return orders.toSorted((a, b) => {
    const [x, y] = [turn(a), turn(b)];
    return x === y ? b.id - a.id : x - y;
  });
}
