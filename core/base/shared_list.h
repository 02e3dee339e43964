// A list that copies share in pieces: whoever changes a copy pays for the pieces that it touches. For what hands make,
// which every undo step holds in whole.
#pragma once

#include "core/base/hash.h"

#include <algorithm>
#include <cstddef>
#include <memory>
#include <span>
#include <vector>

namespace arvesk {

/// Items are small values with `operator==` and `std::uint64_t hashed() const`.
template <typename T>
class SharedList {
 public:
  static constexpr std::size_t kPiece = 256;
  enum class Fate { Stays, Changed, Goes };

  SharedList() = default;
  explicit SharedList(const std::vector<T>& items) { append(items); }

  std::size_t size() const { return m_size; }
  bool empty() const { return m_size == 0; }

  template <typename Visit>
  void forEach(Visit visit) const {
    for (const PiecePtr& piece : m_pieces)
      for (const T& item : piece->items) visit(item);
  }
  std::vector<T> all() const {
    std::vector<T> out;
    out.reserve(m_size);
    forEach([&](const T& item) { out.push_back(item); });
    return out;
  }
  template <typename Fits>
  const T* find(Fits fits) const {
    for (const PiecePtr& piece : m_pieces)
      for (const T& item : piece->items)
        if (fits(item)) return &item;
    return nullptr;
  }

  void append(std::span<const T> items) {
    m_size += items.size();
    if (!m_pieces.empty() && m_pieces.back()->items.size() < kPiece && !items.empty()) {
      std::vector<T> last = m_pieces.back()->items;
      const std::size_t taken = std::min(items.size(), kPiece - last.size());
      last.insert(last.end(), items.begin(), items.begin() + static_cast<std::ptrdiff_t>(taken));
      m_pieces.back() = pieceOf(std::move(last));
      items = items.subspan(taken);
    }
    for (; !items.empty(); items = items.subspan(std::min(items.size(), kPiece))) {
      const auto now = items.first(std::min(items.size(), kPiece));
      m_pieces.push_back(pieceOf({now.begin(), now.end()}));
    }
  }
  /// Asks `edit(T&)` for the fate of each item, in order; pieces of which all stay stay shared.
  template <typename Edit>
  void edit(Edit edit) {
    std::vector<PiecePtr> now;
    m_size = 0;
    for (const PiecePtr& piece : m_pieces) {
      const std::vector<T>& old = piece->items;
      std::vector<T> items;
      bool isChanged = false;
      for (std::size_t i = 0; i < old.size(); ++i) {
        T copy = old[i];
        const Fate fate = edit(copy);
        if (fate != Fate::Stays && !isChanged) {
          isChanged = true;
          items.assign(old.begin(), old.begin() + static_cast<std::ptrdiff_t>(i));
        }
        if (isChanged && fate != Fate::Goes) items.push_back(fate == Fate::Changed ? copy : old[i]);
      }
      m_size += isChanged ? items.size() : old.size();
      if (!isChanged)
        now.push_back(piece);
      else if (!items.empty())
        now.push_back(pieceOf(std::move(items)));
    }
    m_pieces = std::move(now);
  }

  bool operator==(const SharedList& other) const {
    if (m_size != other.m_size) return false;
    const auto isCutAlike = [](const PiecePtr& a, const PiecePtr& b) { return a->items.size() == b->items.size(); };
    if (!std::equal(m_pieces.begin(), m_pieces.end(), other.m_pieces.begin(), other.m_pieces.end(), isCutAlike))
      return all() == other.all();
    return std::equal(m_pieces.begin(), m_pieces.end(), other.m_pieces.begin(),
                      [](const PiecePtr& a, const PiecePtr& b) { return a == b || a->items == b->items; });
  }
  /// Of the items in their order, wherever the pieces are cut.
  template <typename Add>
  void addTo(Add add) const {
    for (const PiecePtr& piece : m_pieces)
      for (const std::uint64_t h : piece->hashes) add(h);
  }
  /// How many of its pieces another one holds too. For tests.
  std::size_t sharedWith(const SharedList& other) const {
    std::size_t count = 0;
    for (const PiecePtr& piece : m_pieces)
      count += static_cast<std::size_t>(std::count(other.m_pieces.begin(), other.m_pieces.end(), piece));
    return count;
  }

 private:
  struct Piece {
    std::vector<T> items;
    std::vector<std::uint64_t> hashes;
  };
  using PiecePtr = std::shared_ptr<const Piece>;
  static PiecePtr pieceOf(std::vector<T> items) {
    Piece piece;
    piece.hashes.reserve(items.size());
    for (const T& item : items) piece.hashes.push_back(item.hashed());
    piece.items = std::move(items);
    return std::make_shared<const Piece>(std::move(piece));
  }

  std::vector<PiecePtr> m_pieces;
  std::size_t m_size = 0;
};

}  // namespace arvesk
