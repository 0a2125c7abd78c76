import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { OrderRequest } from "../generated/OrderRequest";
import type { TimeTold } from "../generated/TimeTold";

/** A wish that still changes is not looked at. */
const STEADY_MS = 700;

/** How long an order will take, once that is known, and why it could not be found out. */
export function useTimeTold(
  project: number,
  wish: OrderRequest,
  rig: unknown,
  asked: boolean,
): { time: TimeTold | undefined; unknown: Error | null } {
  const { data, error } = useQuery({
    queryKey: ["time", project, wish, rig],
    queryFn: async ({ signal }) => {
      await new Promise((resolve) => setTimeout(resolve, STEADY_MS));
      signal.throwIfAborted();
      return api.orderTime(project, wish, signal);
    },
    enabled: asked,
    retry: false,
    gcTime: 60_000,
  });
  return { time: data, unknown: error };
}
