// Props: the placeable assets of a plan, in meters, Y up, with the footprint that their geometry claims.
#pragma once

#include "core/geometry/surface.h"

namespace arvesk {

/// What stands for a heavy prop.
struct MassingRule {
  SurfacePtr light;      // a mesh made for it; else
  bool isBox = true;     // a box, or the mesh simplified
  int triangles = 300;   // that simplifying aims at
  bool isShown = false;  // in the Dressed view too
};

/// Where a prop lies in the file that it was taken out of.
struct Home {
  Vec3 position{0};  // m
  Quat turn{1, 0, 0, 0};
  Vec3 size{1};
};

/// The file that exports name in place of the geometry.
struct Delivery {
  std::string file;   // as the plan names it
  bool isOwn = true;  // the one that the prop was read from; another one tells its unit and axis itself, or in meters
  Quat axes{1, 0, 0, 0};  // from the file's up axis; of the own one
  float unit = 1;         // m per unit of the file; of the own one
  // From meters, Y up, to the prop: by this size, then turn, then moved.
  float size = 1;
  Quat turn{1, 0, 0, 0};
  Vec3 position{0};
};

/// What a prop is that was broken off another one.
struct PieceOf {
  struct Contact {
    std::string name;  // of the other piece
    float area = 0;    // m², at size 1
  };
  std::string owner;  // uid of what was broken
  std::string ownerName;
  int variant = 0;                // of several ways in which the owner was broken
  Vec3 pivot{0};                  // m, in the owner's space: where the piece's own pivot lies
  float volume = 0;               // m³, at size 1
  std::vector<Contact> contacts;  // by name, with pieces of the same breaking
  std::string breaking{};         // in which way of which node: other ones may have pieces of the same names
};

struct Prop {
  void countBytes(ByteCounter& counter) const {
    counter.add(this, sizeof(Prop) + mounts.capacity() * sizeof(SceneNode));
    surface->countBytes(counter);
    if (massing.light) massing.light->countBytes(counter);
    if (piece) counter.add(piece.get(), sizeof(PieceOf) + piece->contacts.capacity() * sizeof(PieceOf::Contact));
  }

  std::string uid;  // permanent in its plan; weighted choice goes by it
  std::string name;
  SurfacePtr surface;
  float footprint = 0;  // m: radius about the pivot that holds the geometry as seen from above, or as set in the Kit
  float base = 0;       // m: as set in the Kit; 0 takes it from the geometry, see baseOf
  float height = 0;     // m: from lowest to highest vertex
  float weight = 1;     // where it is chosen by name or tag
  std::vector<std::string> tags;
  std::vector<SceneNode> mounts;  // m, in the space of the surface: the file's nodes, then those set by hand
  MassingRule massing;
  Home home;
  std::shared_ptr<const PieceOf> piece;      // null: it is whole
  std::shared_ptr<const Delivery> delivery;  // by reference; null: exports hold its geometry
  bool isMissing = false;  // its file could not be read: it keeps its place in kits, so that no other takes its points
};

using PropPtr = std::shared_ptr<const Prop>;

/// Footprint and height from the geometry; mounts from the surface's nodes.
std::shared_ptr<Prop> makeProp(std::string uid, std::string name, SurfacePtr surface);

/// Of the ball about the pivot that holds all of it at size 1, m. Found when first asked for.
float reachOf(const Prop& prop);

/// Its base: radius about the pivot, as seen from above, of what touches the ground (the lowest tenth of its height),
/// or as set in the Kit. Never more than its footprint. At size 1, m.
float baseOf(const Prop& prop);

/// The prop's massing: its box in its mean color, or its mesh simplified by meshoptimizer. Made when first asked for.
/// Thread safe.
SurfacePtr massingOf(const Prop& prop);

struct KitEntry {
  PropPtr prop;
  float weight = 1;
};

struct Points;

/// Props to choose from, in order.
struct Kit {
  std::vector<KitEntry> entries;
  void countBytes(ByteCounter& counter) const {
    counter.add(this, sizeof(Kit) + entries.capacity() * sizeof(KitEntry));
    for (const KitEntry& e : entries) e.prop->countBytes(counter);
  }
};

using KitPtr = std::shared_ptr<const Kit>;

/// Is any of them a piece of something broken?
bool arePieces(const Kit& kit);

/// The uid of the prop of point i; empty where it has none.
const std::string& propUidOf(const Points& points, std::size_t i);

/// What point i is a piece of: the same for all that were broken off one body, or off one placement of it; 0 for what
/// is no piece.
std::uint64_t ownerKeyOf(const Points& points, std::size_t i);

/// What counts as the footprint of placements: all of a prop as seen from above, or only what touches the ground.
enum class Footprint { Spread, Base };
/// The same points with footprints of that kind. Those that have no prop have one only.
std::shared_ptr<const Points> withFootprints(std::shared_ptr<const Points> points, Footprint which);

}  // namespace arvesk
