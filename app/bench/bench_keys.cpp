// What the Bench has of keys: the mark beside a parameter that moves, and setting and taking its keys.
#include "app/bench/bench_view.h"
#include "app/bench/curve_view.h"
#include "app/bench/made_view.h"
#include "app/bench/touch_list.h"
#include "app/model/words.h"
#include "core/plan/dials.h"
#include "core/plan/key_edits.h"

#include <QBoxLayout>
#include <QGridLayout>
#include <QLocale>
#include <QMenu>
#include <QToolButton>

#include <algorithm>

namespace arvesk {

BenchView::KeyMark BenchView::keyMark(const Node& node, const ParamSpec& spec) const {
  const double frame = momentOf(m_model->document()).frame;
  KeyMark mark = KeyMark::None;
  for (const auto& [id, keys] : node.keys) {
    if (followedPart(id).param != spec.id || keys.isEmpty()) continue;
    const bool isHere = std::any_of(keys.list.begin(), keys.list.end(),
                                    [&](const Key& key) { return key.frame == frame; });
    if (isHere) return KeyMark::Here;
    mark = KeyMark::Moves;
  }
  return mark;
}

/// Only where the plan has time.
void BenchView::addKeyActions(QMenu& menu, const ParamSpec& spec) {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  if (!m_model->document().settings.time || !node || !canHaveKeys(spec.type)) return;
  const bool isFollowing = std::any_of(node->follows.begin(), node->follows.end(), [&](const auto& followed) {
    return followedPart(followed.first).param == spec.id;
  });
  const KeyMark mark = keyMark(*node, spec);
  const QString frame = QLocale().toString(momentOf(m_model->document()).frame, 'g', 8);
  const auto add = [&](const QString& words, const char* name, bool isOn, auto&& what) {
    QAction* action = menu.addAction(words, this, what);
    action->setObjectName(QLatin1String(name));
    action->setEnabled(isOn);
  };
  menu.addSeparator();
  add(tr("Set a key at frame %1").arg(frame), "set_key", !isFollowing,
      [this, spec] { m_model->setKeyHere(m_uids, spec.id); });
  add(tr("Take the key at frame %1 out").arg(frame), "take_key", mark == KeyMark::Here,
      [this, spec] { m_model->takeKeys(m_uids, spec.id, false); });
  add(tr("Take all its keys out"), "take_keys", mark != KeyMark::None,
      [this, spec] { m_model->takeKeys(m_uids, spec.id, true); });
}

std::optional<double> BenchView::valueNow(const Dial& dial, const Plan& document) {
  if (dial.keys.isEmpty()) return {};
  const ParamValue now = valueAt(dial.keys, momentOf(document).frame);
  const auto* number = std::get_if<double>(&now);
  return number ? std::optional<double>(*number) : std::nullopt;
}

/// Only where the plan has time: a click sets a key of the dial at the frame, or takes it out again.
void BenchView::addDialKey(QWidget& holder, QGridLayout& rows, int row, const std::string& uid) {
  auto* key = new QToolButton(&holder);
  key->setText(tr("Key"));
  key->setObjectName(QStringLiteral("dial.%1.key").arg(row));
  key->setProperty("role", QStringLiteral("mode"));
  key->setCheckable(true);
  rows.addWidget(key, row, 6);
  const auto dialOf = [uid](auto& plan) {
    const auto it = std::find_if(plan.dials.begin(), plan.dials.end(), [&](const Dial& d) { return d.uid == uid; });
    return it == plan.dials.end() ? decltype(&*it){} : &*it;
  };
  const auto isHere = [](const Dial& dial, double frame) {
    return std::any_of(dial.keys.list.begin(), dial.keys.list.end(), [&](const Key& k) { return k.frame == frame; });
  };
  connect(key, &QToolButton::clicked, this, [this, dialOf, isHere] {
    const double frame = momentOf(m_model->document()).frame;
    m_model->edit(tr("Key at frame %1").arg(frame), [&](Plan& plan) {
      Dial* dial = dialOf(plan);
      if (!dial) return;
      const double now = valueNow(*dial, m_model->document()).value_or(dial->final);
      if (!isHere(*dial, frame)) return setValueAt(dial->keys, frame, now);
      std::erase_if(dial->keys.list, [&](const Key& k) { return k.frame == frame; });
      if (dial->keys.isEmpty()) dial->draft = dial->final = now;
    });
  });
  m_refreshers.push_back([this, key, dialOf, isHere] {
    const Dial* dial = dialOf(m_model->plan());
    const double frame = momentOf(m_model->document()).frame;
    key->setVisible(dial && m_model->document().settings.time.has_value());
    if (!dial) return;
    key->setChecked(isHere(*dial, frame));
    key->setToolTip(dial->keys.isEmpty()   ? tr("Sets a key at this frame: the dial moves then")
                    : isHere(*dial, frame) ? tr("Has a key at this frame; a click takes it out")
                                           : tr("Moves: it has keys at other frames; a click sets one here"));
  });
}

void BenchView::buildCurves(QBoxLayout& side) {
  m_overTime = new QToolButton(this);
  m_overTime->setText(tr("Over time"));
  m_overTime->setToolTip(tr("What its keys make of its numbers, frame by frame"));
  m_overTime->setObjectName(QStringLiteral("over_time"));
  m_overTime->setProperty("role", QStringLiteral("mode"));
  m_overTime->setCheckable(true);
  m_overTime->setChecked(true);
  m_overTime->hide();
  m_curves = new CurveView(this);
  m_curves->hide();
  side.addWidget(m_overTime, 0, Qt::AlignLeft);
  side.addWidget(m_curves, 1);
  connect(m_overTime, &QToolButton::clicked, this, &BenchView::showMade);
  connect(m_curves, &CurveView::edited, this,
          [this](const std::string& track, const Keys& keys, const QString& words, int gesture) {
            m_model->edit(
                words,
                [&](Plan& plan) {
                  for (const QString& uid : m_uids)
                    if (Node* node = plan.find(uid.toStdString()); node && node->keys.contains(track)) {
                      node->keys[track] = keys;
                      if (keys.isEmpty()) node->keys.erase(track);
                    }
                },
                QStringLiteral("curve.%1").arg(gesture));
            if (!m_uid.isEmpty()) return;
            m_model->edit(
                words,
                [&](Plan& plan) {
                  for (Dial& dial : plan.dials)
                    if (dial.uid == track) dial.keys = keys;
                },
                QStringLiteral("curve.%1").arg(gesture));
          });
}

void BenchView::showCurves() {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  const auto& time = m_model->document().settings.time;
  std::vector<KeyTrack> tracks;
  if (kind && time)
    for (const auto& [id, keys] : node->keys) {
      const auto [param, part] = followedPart(id);
      const ParamSpec* spec = kind->findParam(param);
      if (!spec || keys.isEmpty()) continue;
      const ParamValue& value = keys.list.front().value;
      if (!std::holds_alternative<double>(value) && !std::holds_alternative<std::vector<double>>(value)) continue;
      KeyTrack track{id,
                     arvesk::said(spec->label),
                     QString::fromUtf8(unitSuffix(spec->unit)),
                     spec->hardMin,
                     spec->hardMax,
                     spec->type == ParamType::Integer,
                     keys};
      if (part) track.label = tr("%1, number %2").arg(track.label).arg(*part + 1);
      tracks.push_back(std::move(track));
    }
  if (!node && time)
    for (const Dial& dial : m_model->plan().dials)
      if (!dial.keys.isEmpty()) tracks.push_back({dial.uid, text(dial.name), {}, -1e9, 1e9, false, dial.keys});
  m_overTime->setVisible(!tracks.empty());
  const bool isShown = !tracks.empty() && m_overTime->isChecked();
  if (time) m_curves->show(std::move(tracks), time->first, time->last, momentOf(m_model->document()).frame);
  m_curves->setVisible(isShown);
  if (!isShown) return;
  m_distribution->hide();
  m_made->hide();
  m_touchList->hide();
}

}  // namespace arvesk
