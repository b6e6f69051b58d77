/** Seats of those that are under way. */
export interface Seating {
  /**
   * An item waits for many others, and leaves its seat to them. It never waits for one again: what it holds
   * itself may be what the others wait for.
   */
  leave(itemId: string): void;
  /** Whether others of a workflow have a seat, or are about to. */
  isComing(workflowId: string): boolean;
}

/** The seats of the queue, once there is one. */
export class Seats implements Seating {
  private seating: Seating | undefined;

  of(seating: Seating): void {
    this.seating = seating;
  }

  leave(itemId: string): void {
    this.seating?.leave(itemId);
  }

  isComing(workflowId: string): boolean {
    return this.seating?.isComing(workflowId) ?? false;
  }
}
