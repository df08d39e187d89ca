// The implements of the stage, and the letters by which they are held.

import { AreaTool } from "./area.js";
import { FenceTool } from "./fence.js";
import { BoxTool, LoopTool } from "./loop.js";
import { JumpsTool } from "./jumps.js";
import { PanTool } from "./pan.js";
import { PickTool, guard, keep, shortOf, upTo } from "./pick.js";

export function makeTools(bench) {
  return {
    pick: new PickTool(bench),
    pan: new PanTool(bench),
    area: new AreaTool(bench),
    laid: { loop: new LoopTool(bench), box: new BoxTool(bench) }, // taken in hand by a worded button
    held: {
      u: upTo(bench),
      s: shortOf(bench),
      f: keep(bench),
      g: guard(bench),
      w: new FenceTool(bench),
      j: new JumpsTool(bench),
    },
  };
}
