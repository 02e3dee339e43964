#include "core/spatial/embree_scene.h"

#include <embree3/rtcore.h>
#include <tbb/parallel_for.h>
#include <tbb/task_group.h>

namespace arvesk {

void commitScene(RTCSceneTy* scene, const Task& task) {
  // A scene of Embree holds a group of tasks, which counts as a part of whatever tasks it is first run in, and goes on
  // to do so when they are long gone: the next cancel anywhere then reads memory that was freed. What it is run in here
  // stays for good.
  setFloatingPointMode();
  static tbb::task_group_context forever(tbb::task_group_context::isolated, tbb::task_group_context::default_traits |
                                                                                tbb::task_group_context::fp_settings);
  Task copy = task;
  rtcSetSceneProgressMonitorFunction(
      scene, [](void* data, double) { return !static_cast<Task*>(data)->isCancelled(); }, &copy);
  tbb::parallel_for(
      0, 1, [&](int) { rtcCommitScene(scene); }, forever);
  rtcSetSceneProgressMonitorFunction(scene, nullptr, nullptr);
}

}  // namespace arvesk
