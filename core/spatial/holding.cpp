#include "core/spatial/holding.h"

#include "core/base/groups.h"

namespace arvesk {
namespace {

/// Which are held, if only by others that are.
std::vector<std::uint8_t> heldBy(const std::vector<Touch>& touches, const std::vector<std::uint8_t>& isHeld,
                                 const std::vector<Broke>& broke, double leastArea) {
  std::vector<std::vector<std::uint32_t>> meets(isHeld.size());
  for (const Touch& t : touches) {
    if (t.area < leastArea || broke[t.a] != Broke::No || broke[t.b] != Broke::No) continue;
    meets[t.a].push_back(t.b);
    meets[t.b].push_back(t.a);
  }
  std::vector<std::uint8_t> out(isHeld.size(), 0);
  std::vector<std::uint32_t> open;
  for (std::uint32_t i = 0; i < isHeld.size(); ++i)
    if (isHeld[i] && broke[i] == Broke::No) {
      out[i] = 1;
      open.push_back(i);
    }
  while (!open.empty()) {
    const std::uint32_t now = open.back();
    open.pop_back();
    for (const std::uint32_t next : meets[now])
      if (!out[next]) {
        out[next] = 1;
        open.push_back(next);
      }
  }
  return out;
}

}  // namespace

std::vector<Broke> brokenLoose(const std::vector<Touch>& touches, const std::vector<std::uint8_t>& isHit,
                               const std::vector<std::uint8_t>& isHeld, const HoldRule& rule) {
  const std::size_t count = isHit.size();
  std::vector<Broke> out(count, Broke::No);
  const std::vector<std::uint8_t> before = heldBy(touches, isHeld, out, rule.leastArea);
  for (std::size_t i = 0; i < count; ++i)
    if (isHit[i]) out[i] = Broke::Hit;
  if (rule.follows == Follows::None) return out;
  std::vector<double> whole(count);
  for (const Touch& t : touches) {
    whole[t.a] += t.area;
    whole[t.b] += t.area;
  }
  for (bool goesOn = rule.follows == Follows::Weakened; goesOn;) {
    goesOn = false;
    std::vector<double> lost(count);
    for (const Touch& t : touches) {
      if (out[t.a] != Broke::No) lost[t.b] += t.area;
      if (out[t.b] != Broke::No) lost[t.a] += t.area;
    }
    for (std::size_t i = 0; i < count; ++i)
      if (out[i] == Broke::No && !isHeld[i] && lost[i] > 0 && lost[i] >= rule.lostShare * whole[i]) {
        out[i] = Broke::Follows;
        goesOn = true;
      }
  }
  const std::vector<std::uint8_t> after = heldBy(touches, isHeld, out, rule.leastArea);
  for (std::size_t i = 0; i < count; ++i)
    if (out[i] == Broke::No && before[i] && !after[i]) out[i] = Broke::Follows;
  return out;
}

std::vector<std::uint32_t> groupsOf(const std::vector<Touch>& touches, std::size_t count, double leastArea) {
  Groups groups(count);
  for (const Touch& t : touches)
    if (t.area >= leastArea) groups.join(t.a, t.b);
  std::vector<std::uint32_t> out(count);
  for (std::uint32_t i = 0; i < count; ++i) out[i] = groups.rootOf(i);
  return out;
}

}  // namespace arvesk
