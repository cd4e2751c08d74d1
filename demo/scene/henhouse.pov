// A henhouse at sunrise, rendered as linear radiance (assumed_gamma 1, EXR out). See README.md beside it.
// 1 unit = 1 m; x right, y up, z into the picture. The camera stands inside and looks at the doorway.
// Parameters (Declare=Name=Value on the command line):
//   ShiftX/Y/Z          where the camera stands, in metres from its place on the tripod
//   Yaw/Pitch/Roll      how it is turned, in degrees
//   HenState            0..4 how the moving things stand in that frame; -1: none of them is there
//   Brown/White/Black/FlameState   the same for one of them
//   Plain               1: no light from surface to surface, nothing random. Where two such renders differ, and only
//                       there, something moved or threw its shadow.
#version 3.7;
#ifndef (HenState) #declare HenState = 2; #end
#ifndef (BrownState) #declare BrownState = HenState; #end
#ifndef (WhiteState) #declare WhiteState = HenState; #end
#ifndef (BlackState) #declare BlackState = HenState; #end
#ifndef (FlameState) #declare FlameState = HenState; #end
#ifndef (ShiftX) #declare ShiftX = 0; #end
#ifndef (ShiftY) #declare ShiftY = 0; #end
#ifndef (ShiftZ) #declare ShiftZ = 0; #end
#ifndef (Roll) #declare Roll = 0; #end
#ifndef (Plain) #declare Plain = 0; #end
#ifndef (Yaw) #declare Yaw = 0; #end
#ifndef (Pitch) #declare Pitch = 0; #end

global_settings {
    assumed_gamma 1.0
    max_trace_level 6
#if (Plain = 0)
    radiosity {
        pretrace_start 0.08
        pretrace_end 0.01
        count 160
        nearest_count 6
        error_bound 0.9
        recursion_limit 2
        low_error_factor 0.7
        minimum_reuse 0.02
        gray_threshold 0.0
        brightness 1.0
        normal off
        media off
    }
#end
}
#default { finish { ambient 0.02 * Plain emission 0 diffuse 0.85 } }
#declare f_noise3d = function { internal(76) }

camera {
    perspective
    right x * image_width / image_height
    up y
    direction z
    angle 64
    rotate <Pitch, Yaw, Roll>
    rotate <6.5, 1, 0>
    translate <-0.25 + ShiftX, 1.34 + ShiftY, 0.25 + ShiftZ>
}

#include "sky.inc"
#include "yard.inc"
#include "barn.inc"
#include "hens.inc"
#include "things.inc"
