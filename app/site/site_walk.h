// Going over the ground at eye height: arrows go and turn, the wheel sets how fast.
#pragma once

#include "core/picture/film.h"

#include <QCoreApplication>
#include <QString>

#include <functional>
#include <optional>
#include <set>

namespace arvesk {

class SiteWalk {
  Q_DECLARE_TR_FUNCTIONS(SiteWalk)

 public:
  static constexpr float kEyeHeight = 1.7F;  // m
  /// Height of the ground under a place, from no higher than it where there is any; nothing where there is none.
  using Ground = std::function<std::optional<float>(const Vec3& from)>;

  bool isOn() const { return m_isOn; }
  /// Puts the camera on the ground at `place`, looking level the way it looked.
  void start(Camera& camera, const Vec3& place, const Ground& ground);
  void stop();
  /// A key that goes or turns; false leaves it to others.
  bool press(int key, bool isShifted);
  bool release(int key);
  bool isGoing() const { return !m_held.empty(); }
  void faster(double steps);
  double speed() const { return m_speed; }  // m/s
  void step(Camera& camera, double seconds, const Ground& ground) const;
  QString words() const;

 private:
  bool m_isOn = false;
  bool m_isSideways = false;
  double m_speed = 1.6;
  std::set<int> m_held;
};

}  // namespace arvesk
