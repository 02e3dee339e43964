#include "app/site/site_walk.h"

#include "core/base/vec.h"

#include <QLocale>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

constexpr double kTurn = 1.1;      // radians per second
constexpr float kFollow = 9;       // per second: how fast the eye follows the ground
constexpr float kStepOver = 1.2F;  // m above the eye from which the ground is looked for: what one may walk up

Vec3 level(const Vec3& v) {
  const Vec3 flat(v.x, 0, v.z);
  return glm::length(flat) > 1e-4F ? glm::normalize(flat) : Vec3(0, 0, -1);
}

}  // namespace

void SiteWalk::start(Camera& camera, const Vec3& place, const Ground& ground) {
  m_isOn = true;
  m_held.clear();
  const Vec3 ahead = level(camera.target - camera.eye);
  const float y = ground(place + Vec3(0, 0.5F, 0)).value_or(place.y);
  camera.eye = Vec3(place.x, y + kEyeHeight, place.z);
  camera.target = camera.eye + ahead * 5.0F;
}

void SiteWalk::stop() {
  m_isOn = false;
  m_held.clear();
}

bool SiteWalk::press(int key, bool isShifted) {
  if (!m_isOn || key < Qt::Key_Left || key > Qt::Key_Down) return false;
  m_isSideways = isShifted;
  m_held.insert(key);
  return true;
}

bool SiteWalk::release(int key) { return m_held.erase(key) > 0; }

void SiteWalk::faster(double steps) { m_speed = std::clamp(m_speed * std::pow(1.25, steps), 0.1, 200.0); }

void SiteWalk::step(Camera& camera, double seconds, const Ground& ground) const {
  Vec3 look = camera.target - camera.eye;
  const double turn = (m_held.contains(Qt::Key_Left) ? 1 : 0) - (m_held.contains(Qt::Key_Right) ? 1 : 0);
  const double go = (m_held.contains(Qt::Key_Up) ? 1 : 0) - (m_held.contains(Qt::Key_Down) ? 1 : 0);
  Vec3 move = level(look) * static_cast<float>(go);
  if (m_isSideways)
    move -= glm::cross(level(look), kUp) * static_cast<float>(turn);
  else
    look = glm::angleAxis(static_cast<float>(turn * kTurn * seconds), kUp) * look;
  Vec3 eye = camera.eye + move * static_cast<float>(m_speed * seconds);
  if (const auto y = ground(eye + Vec3(0, kStepOver, 0))) {
    const float wanted = *y + kEyeHeight;
    eye.y += (wanted - eye.y) * (1 - std::exp(-kFollow * static_cast<float>(seconds)));
    eye.y = std::max(eye.y, *y + 0.3F);  // never under it
  }
  camera.eye = eye;
  camera.target = eye + look;
}

QString SiteWalk::words() const {
  return tr("Walking at %1 m/s · arrows go and turn, with Shift sideways · wheel: speed · Esc ends")
      .arg(QLocale().toString(m_speed, 'f', m_speed < 10 ? 1 : 0));
}

}  // namespace arvesk
