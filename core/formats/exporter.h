// Writes the outputs of a plan: glTF, USD, CSV, PLY, OBJ, VDB. Files are written whole or not at all; placements are
// streamed, so that a million of them take no second copy in memory.
#pragma once

#include "core/base/task.h"
#include "core/geometry/points.h"
#include "core/geometry/prop.h"
#include "core/spatial/volume.h"

#include <functional>
#include <map>
#include <set>

namespace arvesk {

/// Where the points of a layer are at each of several frames (moving.h makes them).
struct LayerFrames {
  struct At {
    Array<Vec3> position;
    Array<Quat> turn;
    Array<Vec3> size;
    Array<std::uint8_t> isThere;  // what is not stays where it was last, or will be first
  };
  std::vector<double> frames;  // rising
  double rate = 24;            // frames per second
  std::vector<At> at;          // as many; each as long as the points
};

/// Points, a surface or a volume under the title of its Output node.
struct ExportLayer {
  std::string name;
  PointsPtr points;
  SurfacePtr surface;
  VolumePtr volume{};
  std::shared_ptr<const LayerFrames> over{};  // of points that move; formats with time write it
  std::string node{};                         // uid of the Output that it is of, in the opened plan
};

enum class GltfWay {
  Instances,  // EXT_mesh_gpu_instancing, one node per output and prop
  Nodes,      // a plain node per placement
  Mesh,       // real geometry, one mesh per output and prop
};
enum class UsdPrototypes {
  Inside,  // geometry in the file
  Files,   // one .usda per prop in a folder beside it, by reference
};

struct ExportOptions {
  GltfWay gltfWay = GltfWay::Instances;
  UsdPrototypes usdPrototypes = UsdPrototypes::Inside;
  bool isUsdPayload = false;  // props by reference are loaded by readers only when they are wanted
  /// Where a file of the plan lies, and those that it reads, absolute. Without, files are as they are named.
  std::function<std::vector<std::string>(const std::string& file)> filesOf{};
  std::vector<std::string> attributes;      // of the points, as patterns; written where the format can
  std::size_t mostTriangles = 100'000'000;  // of real geometry
  std::string planName;                     // names the root of USD; empty: the file's own name does
  bool isHalf = false;                      // volumes in 16 bits a number
  bool isVerified = false;                  // read back and compared with what was asked
  bool hasBodies = false;                   // beside: a convex body for each piece of something broken, as GLB
  bool isWithoutMissing = false;  // placements whose prop could not be read are left out; else nothing is written
};

struct ExportReport {
  std::size_t placements = 0;
  std::size_t withoutProp = 0;  // points that had none; only CSV and PLY write them
  std::size_t surfaces = 0;
  std::size_t volumes = 0;
  std::uint64_t triangles = 0;                     // shown by all placements together
  std::map<std::string, std::size_t> perProp;      // by prop name
  std::map<std::string, std::size_t> perLayer;     // by title
  std::vector<std::string> files;                  // what was written, the chosen path first
  std::size_t bytes = 0;                           // of all of them
  std::map<std::string, std::string> byReference;  // prop name → the file that stands for it
  std::set<std::string> approximateColors;         // props whose textures take a color by one factor
  bool isBrightnessCut = false;                    // a color was brighter than the format holds
  std::vector<Problem> warnings;
  std::optional<double> verifySeconds;  // how long reading back took; nothing where that was not asked
  std::vector<std::string> faults;      // what the file says otherwise than was asked, read back
};

/// Format by the path's ending: .glb .gltf .usda .csv .ply .obj .vdb. Cancelling leaves the old file as it was.
Result<ExportReport> exportLayers(const std::vector<ExportLayer>& layers, const std::string& path,
                                  const ExportOptions& options, const Task& task);

/// Can a file of this ending hold many frames?
bool holdsFrames(const std::string& path);

/// The endings that exportLayers knows, with a name for people.
struct ExportFormat {
  const char* ending;
  const char* name;
};
const std::vector<ExportFormat>& exportFormats();

namespace exporters {
/// Placements of one layer and prop: indices into the layer's points.
struct Group {
  const ExportLayer* layer;
  PropPtr prop;
  Array<std::uint32_t> points;
  std::string name;     // unique over the whole file
  std::string written;  // by its writer: what it is called there
};

/// A surface that is written as one object.
struct Solid {
  const ExportLayer* layer;
  SurfacePtr surface;
  std::string name;     // unique over the whole file
  std::string written;  // by its writer
};

/// All there is to write, and what is told about it afterwards.
struct Job {
  std::vector<Group> groups;
  std::vector<Solid> solids;
  std::vector<const ExportLayer*> layers;
  std::map<const ExportLayer*, std::string> titles;  // unique over the whole file
  std::string path;
  const ExportOptions& options;
  const Task& task;
  ExportReport& report;
};

Result<void> gltf(Job& job, bool isBinary);
Result<void> usda(Job& job);
Result<void> csv(Job& job);
Result<void> ply(Job& job);
Result<void> obj(Job& job);
/// Densities as they are, bodies as signed distances; each under the name of its output. Read back where that is asked.
Result<void> vdb(Job& job);
/// Beside a table, where pieces are placed: which of them meet at home, and by how many m².
Result<void> contactsBeside(Job& job);
/// Beside any file: a convex body of at most 64 corners for each piece, under its name, about its pivot.
Result<void> bodiesBeside(Job& job);
/// One node of a scene; `under` names the parent that it and its like get.
struct SceneItem {
  std::string name;
  SurfacePtr surface{};  // may be null: an empty node
  Vec3 position{0};
  Quat turn{1, 0, 0, 0};
  Vec3 size{1};
  std::string under{};
};
/// A scene of its own as GLB; the demo's kit and layout are made with it.
Result<void> glbOf(const std::vector<SceneItem>& items, const std::string& path);

/// Triangles of all groups as real geometry; fails above the limit.
Result<std::uint64_t> guardGeometry(const Job& job);
/// A name that is not in `used` yet, and is from now on.
std::string uniqueName(std::map<std::string, int>& used, const std::string& wanted);
/// A name for a column or attribute that none of `taken` has: "wear", "wear_2".
std::string uniqueColumn(std::set<std::string>& taken, const std::string& wanted);
/// A color where a format holds 0 to 1 only; the report tells when one was brighter.
Vec3 heldColor(ExportReport& report, const Vec3& color);
}  // namespace exporters

}  // namespace arvesk
