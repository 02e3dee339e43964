#include "app/window/frame_choice.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QSpinBox>

namespace arvesk {

FrameChoice::FrameChoice(const PlanTime& time, const QString& each, const QString& names, QWidget* parent)
    : QWidget(parent),
      m_when(new QComboBox(this)),
      m_first(new QSpinBox(this)),
      m_last(new QSpinBox(this)),
      m_goOn(new QCheckBox(tr("those that are there stay"), this)) {
  m_when->setObjectName(names + QStringLiteral("_when"));
  m_when->setAccessibleName(tr("Frames"));
  m_when->addItem(tr("This frame"), static_cast<int>(Way::This));
  m_when->addItem(each, static_cast<int>(Way::Each));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->addWidget(m_when);
  for (QSpinBox* box : {m_first, m_last}) {
    box->setObjectName(names + (box == m_first ? QStringLiteral("_first") : QStringLiteral("_last")));
    box->setAccessibleName(box == m_first ? tr("First frame") : tr("Last frame"));
    box->setRange(-1'000'000, 1'000'000);
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    box->setValue(box == m_first ? time.first : time.last);
    if (box == m_last) row->addWidget(new QLabel(tr("to"), this));
    row->addWidget(box);
  }
  m_goOn->setObjectName(names + QStringLiteral("_go_on"));
  m_goOn->setToolTip(tr("Goes on where it stopped: frames whose file is there already are not made again"));
  row->addWidget(m_goOn, 1);
  connect(m_when, &QComboBox::currentIndexChanged, this, &FrameChoice::showRange);
  showRange();
}

void FrameChoice::allowOne(bool isAllowed) {
  const int at = m_when->findData(static_cast<int>(Way::InOne));
  if (isAllowed && at < 0) m_when->addItem(tr("All in one file"), static_cast<int>(Way::InOne));
  if (isAllowed || at < 0) return;
  if (m_when->currentIndex() == at) m_when->setCurrentIndex(0);
  m_when->removeItem(at);
}

FrameChoice::Way FrameChoice::way() const { return static_cast<Way>(m_when->currentData().toInt()); }

std::vector<int> FrameChoice::frames() const {
  std::vector<int> out;
  if (way() != Way::This)
    for (int frame = m_first->value(); frame <= m_last->value(); ++frame) out.push_back(frame);
  return out;
}

bool FrameChoice::isGoingOn() const { return way() == Way::Each && m_goOn->isChecked(); }

QString FrameChoice::fileOf(const QString& path, int frame) {
  const QFileInfo info(path);
  const QString number = QStringLiteral("%1%2")
                             .arg(frame < 0 ? QStringLiteral("-") : QString())
                             .arg(std::abs(frame), frame < 0 ? 3 : 4, 10, QLatin1Char('0'));
  return info.dir().filePath(QStringLiteral("%1.%2.%3").arg(info.completeBaseName(), number, info.suffix()));
}

void FrameChoice::showRange() {
  for (QWidget* w : {static_cast<QWidget*>(m_first), static_cast<QWidget*>(m_last)}) w->setEnabled(way() != Way::This);
  m_goOn->setEnabled(way() == Way::Each);
  Q_EMIT changed();
}

}  // namespace arvesk
