/** A tool is what the pointer does on the stage. One is active at a time: from the press that it takes to the lift. */

/** A place on the canvas, in shares of its size from the upper left, and how it is pressed. */
export interface Touch {
  x: number;
  y: number;
  /** From 0 to 1; a mouse always presses as hard as it can. */
  pressure: number;
  /** Shift adds to what is chosen. */
  shiftKey: boolean;
  /** Alt takes away from it, or moves without steps. */
  altKey: boolean;
}

export interface Tool {
  /** Whether dragging is the tool's, so that it does not turn the camera. */
  readonly steady: boolean;
  /** Whether the tool takes this press. */
  press(at: Touch): boolean;
  /** The pointer moves: pressed while the tool is active, else over the stage. */
  move(at: Touch): void;
  lift(at: Touch): void;
  /** Leave what was begun, as if the press had not been. */
  cancel(): void;
  /** The wheel turns while the tool is active; whether that was for it. */
  wheel?(by: number): boolean;
  /** A key is pressed while the tool is active; whether that was for it. */
  key?(key: string): boolean;
}

interface Camera {
  turnByDragging(turns: boolean): void;
}

/** Gives the pointer to one tool at a time. */
export class Pointer {
  private tools: readonly Tool[] = [];
  private active: Tool | null = null;

  constructor(private readonly camera: Camera) {}

  /** The tools at hand, most particular first; the last one hears of the pointer when none is active. */
  setTools(tools: readonly Tool[]): void {
    if (this.active !== null && !tools.includes(this.active)) this.cancel();
    this.tools = tools;
    if (this.active === null) this.rest();
  }

  /** Whether a tool took the press. */
  press(at: Touch): boolean {
    this.cancel();
    this.active = this.tools.find((tool) => tool.press(at)) ?? null;
    if (this.active !== null) this.camera.turnByDragging(!this.active.steady);
    return this.active !== null;
  }

  move(at: Touch): void {
    (this.active ?? this.tools.at(-1))?.move(at);
  }

  lift(at: Touch): void {
    const { active } = this;
    this.active = null;
    active?.lift(at);
    this.rest();
  }

  /** The wheel; says whether the tool that is active took it. */
  wheel(by: number): boolean {
    return this.active?.wheel?.(by) === true;
  }

  /** A key; says whether the tool that is active took it. */
  key(key: string): boolean {
    return this.active?.key?.(key) === true;
  }

  /** Leave what is under way; says whether something was. */
  cancel(): boolean {
    const { active } = this;
    if (active === null) return false;
    this.active = null;
    active.cancel();
    this.rest();
    return true;
  }

  private rest(): void {
    this.camera.turnByDragging(this.tools.at(-1)?.steady !== true);
  }
}
