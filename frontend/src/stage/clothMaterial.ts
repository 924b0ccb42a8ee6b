/** Cloth: one tone outside, another inside, so that folds and what is turned over show. */
import { BackSide, Color, DoubleSide, MeshLambertMaterial } from "three";
import type { Look } from "../state/room";

export interface Tones {
  outside: string;
  inside: string;
}

/** A material that takes `outside` on front faces and `inside` on back faces, times the vertex colour. */
export function clothMaterial(tones: Tones): MeshLambertMaterial {
  const material = new MeshLambertMaterial({ side: DoubleSide, vertexColors: true });
  const uniforms = { outside: { value: new Color(tones.outside) }, inside: { value: new Color(tones.inside) } };
  material.onBeforeCompile = (shader) => {
    shader.uniforms.outside = uniforms.outside;
    shader.uniforms.inside = uniforms.inside;
    shader.fragmentShader = shader.fragmentShader
      .replace("#include <common>", "#include <common>\nuniform vec3 outside;\nuniform vec3 inside;")
      .replace(
        "#include <color_fragment>",
        "#include <color_fragment>\ndiffuseColor.rgb *= gl_FrontFacing ? outside : inside;",
      );
  };
  material.userData.tones = uniforms;
  return material;
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
