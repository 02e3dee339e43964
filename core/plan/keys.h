// Keys of results: a stable hash of all that a result depends on.
#pragma once

#include "core/plan/document.h"

#include <cstring>

namespace arvesk {

using ResultKey = MemoryCache::Key;

/// 128 bits from two differently started lanes of the same stable hash.
struct KeyBuilder {
  std::array<std::uint64_t, 2> lanes{0x243f6a8885a308d3ULL, 0x13198a2e03707344ULL};
  void add(std::uint64_t v) {
    lanes[0] = hashOf(lanes[0], v);
    lanes[1] = hashOf(lanes[1], ~v);
  }
  void add(const ResultKey& other) {
    for (const std::uint64_t lane : other) add(lane);
  }
  void addText(std::string_view text) {
    add(hashText(text));
    add(text.size());
  }
  void add(double v) {
    std::uint64_t bits = 0;
    std::memcpy(&bits, &v, sizeof v);
    add(bits);
  }
  void addValue(const ParamValue& value) {
    add(static_cast<std::uint64_t>(value.index()));
    if (const auto* b = std::get_if<bool>(&value)) add(static_cast<std::uint64_t>(*b));
    if (const auto* d = std::get_if<double>(&value)) add(*d);
    if (const auto* s = std::get_if<std::string>(&value)) addText(*s);
    if (const auto* n = std::get_if<std::vector<double>>(&value))
      for (const double d : *n) add(d);
    if (const auto* choices = std::get_if<PropChoices>(&value))
      for (const PropChoice& c : *choices) {
        addText(c.prop);
        add(c.weight);
        add(static_cast<std::uint64_t>(c.isOn));
      }
    if (const auto* points = std::get_if<HandPoints>(&value)) {
      add(static_cast<std::uint64_t>(points->list.size()));
      points->list.addTo([&](std::uint64_t h) { add(h); });
      for (const std::string& prop : points->props) addText(prop);
      for (const GroundPiece& g : points->grounds) addText(lineOf(g));
    }
    if (const auto* touches = std::get_if<TouchUps>(&value)) {
      add(static_cast<std::uint64_t>(touches->list.size()));
      touches->list.addTo([&](std::uint64_t h) { add(h); });
      for (const std::string& prop : touches->props) addText(prop);
    }
  }
};

/// All settings that make `entry` what it is, but for its file's content.
inline void addProp(KeyBuilder& key, const PropEntry& e) {
  for (const std::string* text : {&e.uid, &e.name, &e.tags, &e.part, &e.lightFile, &e.deliveredFile})
    key.addText(*text);
  for (const double v : {e.unitScale, e.commonHeight, e.size, e.footprint, e.base, e.weight, e.creaseDeg}) key.add(v);
  const auto add3 = [&](const Vec3& v) {
    for (int i = 0; i < 3; ++i) key.add(static_cast<double>(v[i]));
  };
  add3(e.turnDeg);
  key.add(static_cast<std::uint64_t>(e.isZUp) + 2 * static_cast<std::uint64_t>(e.isMassingBox) +
          4 * static_cast<std::uint64_t>(e.isMassingShown) + 8 * static_cast<std::uint64_t>(e.pivot) +
          64 * static_cast<std::uint64_t>(e.isLargeMeant) + 128 * static_cast<std::uint64_t>(e.partBy) +
          1024 * static_cast<std::uint64_t>(e.isByReference));
  key.add(static_cast<std::uint64_t>(e.massingTriangles));
  for (const MountEntry& m : e.mounts) {
    key.addText(m.name);
    add3(m.position);
    add3(m.turnDeg);
    key.add(m.size);
  }
  for (const ValueEntry& v : e.values) {
    key.addText(v.name);
    key.add(static_cast<std::uint64_t>(v.by) + 64 * static_cast<std::uint64_t>(v.into));
    for (const double number : {v.zeroAt, v.oneAt, v.reach, v.edgeDeg}) key.add(number);
    add3(v.direction);
  }
}

}  // namespace arvesk
