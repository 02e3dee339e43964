#include "app/bench/names_button.h"

#include "app/model/words.h"
#include "core/base/pattern.h"

#include <QLocale>
#include <QMenu>

#include <algorithm>

namespace arvesk {
namespace {

constexpr std::size_t kMost = 60;

}  // namespace

NamesButton::NamesButton(QWidget* parent) : QToolButton(parent) {
  setText(QStringLiteral("…"));
  setPopupMode(InstantPopup);
  setToolTip(tr("What there is to name"));
  auto* menu = new QMenu(this);
  menu->setObjectName(QStringLiteral("names_menu"));
  setMenu(menu);
  connect(menu, &QMenu::aboutToShow, this, &NamesButton::fill);
}

void NamesButton::offer(std::vector<NameCount> names, const QString& words) {
  m_names = std::move(names);
  m_words = words;
}

void NamesButton::fill() {
  menu()->clear();
  const bool isOne = std::all_of(m_names.begin(), m_names.end(), [](const NameCount& n) { return n.count == 0; });
  const Patterns now(m_words.toStdString());
  std::vector<std::string> known;
  const QLocale locale;
  for (const NameCount& n : m_names) {
    known.push_back(n.name);
    if (known.size() > kMost) continue;
    // Two & are one in a menu.
    QString words = n.name.empty() ? tr("(no text)")
                                   : arvesk::text(n.name).replace(QLatin1Char('&'), QStringLiteral("&&"));
    if (!isOne) words += QStringLiteral("\t") + locale.toString(static_cast<qulonglong>(n.count));
    QAction* action = menu()->addAction(words);
    action->setCheckable(true);
    const bool isMeant = isOne ? m_words.toStdString() == n.name : now.match(n.name);
    action->setChecked(isMeant);
    connect(action, &QAction::triggered, this, [this, isOne, name = n.name] {
      std::vector<std::string> all;
      for (const NameCount& other : m_names) all.push_back(other.name);
      const QString next = isOne ? arvesk::text(name)
                                 : arvesk::text(Patterns(m_words.toStdString()).toggled(name, all));
      if (next != m_words) Q_EMIT chosen(next);
    });
  }
  if (m_names.size() > kMost) menu()->addAction(tr("and %1 more").arg(m_names.size() - kMost))->setEnabled(false);
  QStringList lost;
  if (isOne) {
    if (std::find(known.begin(), known.end(), m_words.toStdString()) == known.end()) lost.append(m_words);
  } else {
    for (const std::string& entry : now.unmatched(known)) lost.append(arvesk::text(entry));
  }
  lost.removeAll(QString());
  if (lost.isEmpty()) return;
  menu()->addSeparator();
  for (const QString& entry : lost) menu()->addAction(tr("there is no %1").arg(entry))->setEnabled(false);
}

}  // namespace arvesk
