// The pipeline: a picture is a pure function of its frames and a recipe.
//   analyse  once per set, at fixed sizes -> Measured
//   merged   decode, prepare, align, movement, merge -> radiance in the frames' own RGB
//   scene    region and size, white       -> linear Rec. 2020
//   render   adjustments, tone            -> display-linear RGB of the output space
// Every stage is cached under the hash of the part of the recipe it reads and of its inputs, so that moving one slider
// recomputes only the stages from there on. Its rooms, each of which knows only those before it: set, plan, stages,
// analysis, views, files.
#pragma once

#include "render/analysis/analyse.h"
#include "render/analysis/scene_histogram.h"
#include "render/plan/render_plan.h"
#include "render/stages/align_stage.h"
#include "render/stages/scene_stage.h"
#include "render/views/frame_scene.h"
#include "render/views/pick_light.h"
#include "render/views/picture.h"
