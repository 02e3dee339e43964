#include "core/spatial/embree_scene.h"

#include "core/base/memory.h"
#include "core/base/result.h"

#include <embree3/rtcore.h>
#include <tbb/parallel_for.h>
#include <tbb/task_group.h>

#include <cstdio>
#include <stdexcept>
#include <string>

namespace arvesk {
namespace {

/// Counts what Embree takes and gives back; what is beyond the limit is refused before it is taken.
bool countMemory(void*, ssize_t bytes, bool isDone) {
  if (bytes <= 0) {
    giveMemory(static_cast<std::size_t>(-bytes));
    return true;
  }
  if (isDone || hasMemoryFor(static_cast<std::size_t>(bytes))) {
    countMemoryTaken(static_cast<std::size_t>(bytes));
    return true;
  }
  return false;
}

}  // namespace

RTCDeviceTy* embreeDevice() {
  static RTCDevice device = [] {
    RTCDevice d = rtcNewDevice(nullptr);
    ARVESK_ASSERT(d != nullptr, "Embree has no device");
    rtcSetDeviceErrorFunction(
        d,
        [](void*, RTCError error, const char* text) {
          if (error != RTC_ERROR_CANCELLED && error != RTC_ERROR_OUT_OF_MEMORY)
            std::fprintf(stderr, "arvesk: Embree: %s\n", text);
        },
        nullptr);
    rtcSetDeviceMemoryMonitorFunction(d, &countMemory, nullptr);
    return d;
  }();
  return device;
}

namespace {

/// Throws for the error that the last calls of this thread came back with: what they made is of no use.
void throwIf(RTCError error) {
  if (error == RTC_ERROR_OUT_OF_MEMORY) throw std::bad_alloc();
  if (error != RTC_ERROR_NONE && error != RTC_ERROR_CANCELLED)
    throw std::runtime_error("Embree gave error " + std::to_string(static_cast<int>(error)));
}
void throwIfFailed() { throwIf(rtcGetDeviceError(embreeDevice())); }

}  // namespace

void ReleaseEmbree::operator()(RTCSceneTy* scene) const { rtcReleaseScene(scene); }
void ReleaseEmbree::operator()(RTCGeometryTy* geometry) const { rtcReleaseGeometry(geometry); }

EmbreeScene newEmbreeScene() {
  EmbreeScene scene(rtcNewScene(embreeDevice()));
  throwIfFailed();
  if (!scene) throw std::bad_alloc();
  return scene;
}

EmbreeGeometry newEmbreeGeometry(int type) {
  EmbreeGeometry geometry(rtcNewGeometry(embreeDevice(), static_cast<RTCGeometryType>(type)));
  throwIfFailed();
  if (!geometry) throw std::bad_alloc();
  return geometry;
}

void* newEmbreeBuffer(RTCGeometryTy* geometry, int kind, int format, std::size_t itemBytes, std::size_t count) {
  void* buffer = rtcSetNewGeometryBuffer(geometry, static_cast<RTCBufferType>(kind), 0, static_cast<RTCFormat>(format),
                                         itemBytes, count);
  throwIfFailed();
  if (!buffer) throw std::bad_alloc();
  return buffer;
}

void attach(RTCSceneTy* scene, const EmbreeGeometry& geometry) {
  rtcCommitGeometry(geometry.get());
  rtcAttachGeometry(scene, geometry.get());
  throwIfFailed();
}

void commitScene(RTCSceneTy* scene, const Task& task) {
  // A scene of Embree holds a group of tasks, which counts as a part of whatever tasks it is first run in, and goes on
  // to do so when they are long gone: the next cancel anywhere then reads memory that was freed. What it is run in here
  // stays for good.
  setFloatingPointMode();
  static tbb::task_group_context forever(tbb::task_group_context::isolated, tbb::task_group_context::default_traits |
                                                                                tbb::task_group_context::fp_settings);
  struct Stops {
    std::stop_token task, scope;
  } stops{task.stop, currentStop()};
  rtcSetSceneProgressMonitorFunction(
      scene,
      [](void* data, double) {
        const auto* s = static_cast<Stops*>(data);
        return !s->task.stop_requested() && !s->scope.stop_requested();
      },
      &stops);
  RTCError error = RTC_ERROR_NONE;
  tbb::parallel_for(
      0, 1,
      [&](int) {
        rtcCommitScene(scene);
        error = rtcGetDeviceError(embreeDevice());  // of the thread that called
      },
      forever);
  rtcSetSceneProgressMonitorFunction(scene, nullptr, nullptr);
  endIfStopped();
  throwIf(error);
}

}  // namespace arvesk
