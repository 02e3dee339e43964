#include "core/base/touch_ups.h"

#include "core/base/number_line.h"

#include <unordered_set>

namespace arvesk {
namespace {

/// The more often a number is as usual, the later it stands.
using TouchNumbers = std::array<float, 28>;
TouchNumbers numbersOf(const TouchUp& t) {
  return {t.at.x,    t.at.y,    t.at.z,    t.move.x,   t.move.y,   t.move.z,   t.turn.w,
          t.turn.x,  t.turn.y,  t.turn.z,  t.size.x,   t.size.y,   t.size.z,   t.lift,
          t.tint.x,  t.tint.y,  t.tint.z,  t.stood.w,  t.stood.x,  t.stood.y,  t.stood.z,
          t.sized.x, t.sized.y, t.sized.z, t.normal.x, t.normal.y, t.normal.z, t.height};
}

/// A turn as written, to the bit, or made whole.
std::optional<Quat> turnIn(const float* n) {
  const Quat turn(n[0], n[1], n[2], n[3]);
  const float length = glm::length(turn);
  if (!(length > 1e-3F)) return {};
  return std::abs(length - 1) > 1e-5F ? turn / length : turn;
}

constexpr std::string_view kRemoved = "r";
constexpr std::string_view kKept = "k";
constexpr std::string_view kFree = "f";

}  // namespace

std::uint64_t TouchUp::hashed() const {
  std::uint64_t h = hashOf(id, std::uint64_t{isRemoved} | std::uint64_t{isKept} << 1 | std::uint64_t{isFree} << 2,
                           std::uint64_t{was} << 32 | prop);
  const TouchNumbers n = numbersOf(*this);
  for (std::size_t i = 0; i < n.size(); i += 2) h = hashOf(h, bitsOf(n[i], i + 1 < n.size() ? n[i + 1] : 0));
  return h;
}

bool TouchUp::isNothing() const {
  return !isRemoved && !isKept && prop == 0 && move == Vec3(0) && lift == 0 && turn == Quat(1, 0, 0, 0) &&
         size == Vec3(1) && tint == Vec3(0);
}

std::uint32_t TouchUps::numberOf(const std::string& prop) { return prop.empty() ? 0 : numberInList(props, prop); }

const std::string& TouchUps::propOf(std::uint32_t number) const {
  static const std::string none;
  return number > 0 && number <= props.size() ? props[number - 1] : none;
}

std::string faultOf(const TouchUps& touches) {
  std::unordered_set<std::uint64_t> ids;
  std::string fault;
  touches.list.forEach([&](const TouchUp& t) {
    if (!fault.empty()) return;
    if (!ids.insert(t.id).second)
      fault = fmt::format("two touch-ups are of the point {:x}", t.id);
    else if (t.was > touches.props.size() || t.prop > touches.props.size())
      fault = fmt::format("the touch-up of {:x} names a prop that is not listed", t.id);
  });
  return fault;
}

std::string lineOf(const TouchUp& t) {
  std::string how;
  if (t.isRemoved) how += kRemoved;
  if (t.isKept) how += kKept;
  if (t.isFree) how += kFree;
  std::string line = fmt::format("{:x} {} {} {}", t.id, how.empty() ? "-" : how, t.was, t.prop);
  writeNumbers(line, numbersOf(t), numbersOf(TouchUp()));
  return line;
}

std::optional<TouchUp> touchUpIn(std::string_view line) {
  TouchUp t;
  TouchNumbers n = numbersOf(t);
  if (!takeWhole(line, t.id, 16)) return {};
  std::string_view how = takeWord(line);
  if (how.empty()) return {};
  if (how == "-") how = {};
  const auto takes = [&](std::string_view letter) {
    if (!how.starts_with(letter)) return false;
    how.remove_prefix(letter.size());
    return true;
  };
  t.isRemoved = takes(kRemoved);
  t.isKept = takes(kKept);
  t.isFree = takes(kFree);
  if (!how.empty() || !takeWhole(line, t.was) || !takeWhole(line, t.prop) || !takeNumbers(line, n)) return {};
  const auto vec = [&](std::size_t i) { return Vec3(n[i], n[i + 1], n[i + 2]); };
  const auto turn = turnIn(&n[6]);
  const auto stood = turnIn(&n[17]);
  if (!turn || !stood) return {};
  t.at = vec(0);
  t.move = vec(3);
  t.turn = *turn;
  t.size = vec(10);
  t.lift = n[13];
  t.tint = vec(14);
  t.stood = *stood;
  t.sized = vec(21);
  t.normal = vec(24);
  t.height = n[27];
  if (std::abs(glm::length(t.normal) - 1) > 1e-3F) t.normal = directionOr(t.normal, kUp);  // else as written
  return t;
}

}  // namespace arvesk
