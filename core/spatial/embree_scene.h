// Building what Embree traces: handles that clean up after themselves, and memory that counts with all other
// (base/memory.h).
#pragma once

#include "core/base/task.h"

#include <cstddef>
#include <memory>

struct RTCDeviceTy;
struct RTCGeometryTy;
struct RTCSceneTy;

namespace arvesk {

struct ReleaseEmbree {
  void operator()(RTCSceneTy* scene) const;
  void operator()(RTCGeometryTy* geometry) const;
};
using EmbreeScene = std::unique_ptr<RTCSceneTy, ReleaseEmbree>;
using EmbreeGeometry = std::unique_ptr<RTCGeometryTy, ReleaseEmbree>;

/// The one Embree device of the process.
RTCDeviceTy* embreeDevice();
/// All of these throw OverMemoryLimit or std::bad_alloc.
EmbreeScene newEmbreeScene();
/// `type` is an RTCGeometryType.
EmbreeGeometry newEmbreeGeometry(int type);
/// A new buffer of `count` items for the geometry; `kind` is an RTCBufferType, `format` an RTCFormat.
void* newEmbreeBuffer(RTCGeometryTy* geometry, int kind, int format, std::size_t itemBytes, std::size_t count);
/// Commits the geometry and puts it into the scene.
void attach(RTCSceneTy* scene, const EmbreeGeometry& geometry);

/// rtcCommitScene, which ends early when the task is cancelled: the scene is of no use then. Within a StopScope that
/// throws Cancelled. May be called from within tasks of TBB, which the scene may outlive.
void commitScene(RTCSceneTy* scene, const Task& task = {});

}  // namespace arvesk
