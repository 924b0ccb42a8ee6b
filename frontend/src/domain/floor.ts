/** A floor as a file: a closed slab whose top lies at height 0. */

const HALF = 3; // m
const CELL = 0.2; // m
const DEEP = 0.3; // m

/** Level 6 m by 6 m, in cells of 0.2 m so that no triangle is much larger than a garment's. */
export function floorFile(): File {
  return new File([floorText()], "floor.obj");
}

export function floorText(): string {
  const count = Math.round((2 * HALF) / CELL) + 1;
  const at = (i: number, j: number, level: number) => 1 + level * count * count + i * count + j;
  const lines = ["# floor, metres, Y up"];
  for (const height of [0, -DEEP]) {
    for (let i = 0; i < count; i += 1) {
      for (let j = 0; j < count; j += 1) lines.push(`v ${(i * CELL - HALF).toFixed(3)} ${height} ${(j * CELL - HALF).toFixed(3)}`);
    }
  }
  lines.push("g floor");
  const last = count - 1;
  for (let i = 0; i < last; i += 1) {
    for (let j = 0; j < last; j += 1) {
      lines.push(`f ${at(i, j, 0)} ${at(i, j + 1, 0)} ${at(i + 1, j + 1, 0)} ${at(i + 1, j, 0)}`);
      lines.push(`f ${at(i, j, 1)} ${at(i + 1, j, 1)} ${at(i + 1, j + 1, 1)} ${at(i, j + 1, 1)}`);
    }
    lines.push(`f ${at(i, 0, 0)} ${at(i + 1, 0, 0)} ${at(i + 1, 0, 1)} ${at(i, 0, 1)}`);
    lines.push(`f ${at(i + 1, last, 0)} ${at(i, last, 0)} ${at(i, last, 1)} ${at(i + 1, last, 1)}`);
    lines.push(`f ${at(0, i + 1, 0)} ${at(0, i, 0)} ${at(0, i, 1)} ${at(0, i + 1, 1)}`);
    lines.push(`f ${at(last, i, 0)} ${at(last, i + 1, 0)} ${at(last, i + 1, 1)} ${at(last, i, 1)}`);
  }
  return `${lines.join("\n")}\n`;
}
