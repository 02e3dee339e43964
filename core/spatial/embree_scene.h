// Building what Embree traces.
#pragma once

#include "core/base/task.h"

struct RTCSceneTy;

namespace arvesk {

/// rtcCommitScene, which ends early when the task is cancelled: the scene is of no use then. May be called from within
/// tasks of TBB, which the scene may outlive.
void commitScene(RTCSceneTy* scene, const Task& task = {});

}  // namespace arvesk
