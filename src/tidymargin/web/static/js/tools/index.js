// The implements of the stage, and the letters by which they are held.

import { AcrossTool } from "./across.js";
import { AreaTool } from "./area.js";
import { CornersTool } from "./corners.js";
import { FenceTool } from "./fence.js";
import { BoxTool, LoopTool, TracedTool } from "./loop.js";
import { JumpsTool } from "./jumps.js";
import { MoveTool } from "./move.js";
import { OutlineTool } from "./outline.js";
import { PanTool } from "./pan.js";
import { PickTool, guard, keep, shortOf, upTo } from "./pick.js";
import { PlaceTool } from "./place.js";
import { RoughTool } from "./rough.js";
import { StrokeTool } from "./stroke.js";

export function makeTools(bench) {
  return {
    pick: new PickTool(bench),
    pan: new PanTool(bench),
    area: new AreaTool(bench),
    // taken in hand by a worded button
    laid: {
      stroke: new StrokeTool(bench, "stroke"),
      rub: new StrokeTool(bench, "rub"),
      loop: new LoopTool(bench),
      box: new BoxTool(bench),
      traced: new TracedTool(bench), // of the sentence of export
      corners: new CornersTool(bench),
      outline: new OutlineTool(bench),
      rough: new RoughTool(bench),
      piece: new PlaceTool(bench, "piece"),
      spill: new PlaceTool(bench, "spill"),
      move: new MoveTool(bench), // by a mark's own row
    },
    held: {
      u: upTo(bench),
      s: shortOf(bench),
      f: keep(bench),
      g: guard(bench),
      w: new FenceTool(bench),
      j: new JumpsTool(bench),
      a: new AcrossTool(bench),
    },
  };
}
