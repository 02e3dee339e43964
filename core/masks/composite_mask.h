// Masks made of other masks: what is used by several of them is asked once for each place.
#pragma once

#include "core/masks/mask.h"

#include <unordered_set>

namespace arvesk {

/// What all masks that hold masks share. Whatever depends on all that lies below is found once, when the mask is made,
/// so that it takes no longer where parts are used many times: 40 blends of a mask with itself hold 41 masks and 2^40
/// ways that lead to the lowest.
class CompositeMask : public Mask {
 public:
  void values(const Points& at, std::size_t begin, std::size_t end, float* out) const final;
  bool isSearching() const final { return m_isSearching; }
  int depth() const final { return m_depth; }
  void addNames(std::set<std::string>& numbers, std::set<std::string>& texts) const final;
  void countBytes(ByteCounter& counter) const final;

 protected:
  /// `parts` may hold null, for places where nothing comes in. `bytes`: of the mask itself.
  CompositeMask(std::vector<MaskPtr> parts, std::size_t bytes);
  /// Values out of those of the parts, which are got by ask().
  virtual void combine(const Points& at, std::size_t begin, std::size_t end, float* out) const = 0;
  /// Values of part `k` at those places.
  void ask(std::size_t k, const Points& at, std::size_t begin, std::size_t end, float* out) const;
  /// As ask(), where `at` holds the places `rows` of `from`, in their order.
  void askSome(std::size_t k, const Points& at, const Points& from, const Array<std::uint32_t>& rows, float* out) const;
  void readsNumber(const std::string& name) { m_numbers.insert(name); }
  const std::vector<MaskPtr>& parts() const { return m_parts; }

 private:
  friend struct Asked;
  std::vector<MaskPtr> m_parts;
  std::size_t m_bytes;
  std::unordered_set<const Mask*> m_shared;  // used by several, or several times, below
  std::set<std::string> m_numbers;
  std::set<std::string> m_texts;
  int m_depth = 1;
  bool m_isSearching = false;
};

}  // namespace arvesk
