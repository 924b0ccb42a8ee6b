/** Cloth: one tone outside, another inside, so that folds and what is turned over show. */
import { BackSide, Color, DoubleSide, MeshLambertMaterial } from "three";
import type { Look } from "../state/room";

export interface Tones {
  outside: string;
  inside: string;
}

// A line at every tenth of a map's value, a heavier one at the half, about a pixel and a half wide.
const LINES = `
if (lines > 0.5 && vChalk > 0.004 && vChalk < 0.996) {
  float tenths = vChalk * 10.0;
  float step = max(fwidth(tenths), 1e-5);
  float away = abs(fract(tenths - 0.5) - 0.5) / step;
  float heavy = abs(tenths - 5.0) < 0.5 ? 2.2 : 1.2;
  float line = 1.0 - smoothstep(heavy - 0.7, heavy + 0.7, away);
  // Where lines would run into each other only the half is left.
  if (abs(tenths - 5.0) >= 0.5) line *= 1.0 - smoothstep(0.12, 0.3, step);
  diffuseColor.rgb = mix(diffuseColor.rgb, vChalk < 0.55 ? vec3(0.05, 0.08, 0.16) : vec3(0.94, 0.9, 0.82), 0.6 * line);
}`;

/** A material that takes `outside` on front faces and `inside` on back faces, times the vertex colour. */
export function clothMaterial(tones: Tones): MeshLambertMaterial {
  const material = new MeshLambertMaterial({ side: DoubleSide, vertexColors: true });
  const uniforms = { outside: { value: new Color(tones.outside) }, inside: { value: new Color(tones.inside) }, lines: { value: 0 } };
  material.onBeforeCompile = (shader) => {
    shader.uniforms.outside = uniforms.outside;
    shader.uniforms.inside = uniforms.inside;
    shader.uniforms.lines = uniforms.lines;
    shader.vertexShader = shader.vertexShader
      .replace("#include <common>", "#include <common>\nattribute float chalk;\nvarying float vChalk;")
      .replace("#include <begin_vertex>", "#include <begin_vertex>\nvChalk = chalk;");
    shader.fragmentShader = shader.fragmentShader
      .replace("#include <common>", "#include <common>\nuniform vec3 outside;\nuniform vec3 inside;\nuniform float lines;\nvarying float vChalk;")
      .replace(
        "#include <color_fragment>",
        `#include <color_fragment>\ndiffuseColor.rgb *= gl_FrontFacing ? outside : inside;\n${LINES}`,
      );
  };
  material.userData.tones = uniforms;
  return material;
}

/** Show a map's values on the cloth, undyed to indigo on both sides, or its own tones again. */
export function applyChalk(material: MeshLambertMaterial, drawn: boolean, tones: Tones): void {
  const uniforms = material.userData.tones as { outside: { value: Color }; inside: { value: Color }; lines: { value: number } };
  uniforms.outside.value.set(drawn ? "#ffffff" : tones.outside);
  uniforms.inside.value.set(drawn ? "#d8d0c2" : tones.inside);
  uniforms.lines.value = drawn ? 1 : 0;
}

export function applyLook(material: MeshLambertMaterial, look: Look, tones: Tones): void {
  const uniforms = material.userData.tones as { outside: { value: Color }; inside: { value: Color } };
  const mapped = look === "stretch" || look === "closeness";
  uniforms.outside.value.set(mapped ? "#ffffff" : tones.outside);
  uniforms.inside.value.set(mapped ? "#b9b2a6" : tones.inside);
  material.wireframe = look === "threads";
  material.side = look === "inside" ? BackSide : DoubleSide;
  material.needsUpdate = true;
}
