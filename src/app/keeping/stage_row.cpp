#include "keeping/stage_row.h"

#include "keeping/changes_text.h"
#include "widgets/value_slider.h"
#include "widgets/words.h"

#include <QCheckBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>

namespace yolk::app {
namespace {

constexpr int kLongestName = 40;

} // namespace

StageRow::StageRow(Document *document, const SettingGroup &group, QWidget *parent)
    : QWidget(parent), document_(document), group_(group), switch_(new QCheckBox(this)),
      name_(new QLineEdit(words(group.name), this)), changes_(new QLabel(this)),
      strength_(new ValueSlider({tr("Strength"), tr("How much of this group acts, in percent"), QStringLiteral("%"),
                                 0.0, 100.0, 100.0, 1.0, 0},
                                this))
{
    const QString plain = words(group.name);
    switch_->setToolTip(tr("Switches this group off and on; its settings stay."));
    switch_->setAccessibleName(tr("%1 on").arg(plain));
    name_->setFrame(false);
    name_->setMaxLength(kLongestName);
    name_->setTextMargins(-2, 0, 0, 0); // in line with what stands under it
    name_->setToolTip(tr("Its name: type another one. Empty: its own again."));
    name_->setAccessibleName(tr("Name of %1").arg(plain));
    name_->setPlaceholderText(plain);
    name_->setStyleSheet(QStringLiteral("QLineEdit { background: transparent; border: none; padding: 0px; }"
                                        "QLineEdit:focus { background: palette(base); }"));
    changes_->setWordWrap(true);
    changes_->setForegroundRole(QPalette::PlaceholderText);
    changes_->setTextFormat(Qt::PlainText);
    auto *grid = new QGridLayout(this);
    grid->setContentsMargins(0, 3, 0, 3);
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(1);
    grid->setColumnStretch(1, 1);
    grid->addWidget(switch_, 0, 0);
    grid->addWidget(name_, 0, 1);
    grid->addWidget(changes_, 1, 1);
    grid->addWidget(strength_, 2, 1);
    connect(switch_, &QCheckBox::clicked, this, [this](bool on) { document_->setGroupOn(key(), on); });
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        const QString typed = name_->text().trimmed();
        if (document_->isOpen() && typed != document_->groupName(key()))
            document_->setGroupName(key(), typed == words(group_.name) ? QString() : typed);
    });
    connect(strength_, &ValueSlider::changed, this,
            [this](double percent, const QString &gesture) { document_->setGroupStrength(key(), percent, gesture); });
}

QString StageRow::changes() const
{
    return changes_->text();
}

void StageRow::refresh(const Recipe &start)
{
    const Recipe &now = document_->recipe();
    const QStringList changes = changesIn(group_, now, start);
    const bool changed = !changes.isEmpty(), off = now.groups.off.contains(group_.key);
    const auto strength = now.groups.strength.find(group_.key);
    const bool weakened = strength != now.groups.strength.end();
    switch_->setChecked(!off);
    switch_->setEnabled(changed || off); // there is something to switch
    if (!name_->hasFocus())
        name_->setText(document_->groupName(key()));
    QFont font = name_->font();
    font.setWeight(changed ? QFont::DemiBold : QFont::Normal);
    name_->setFont(font);
    changes_->setText(changed ? changes.join(QStringLiteral(", ")) : QString());
    changes_->setVisible(changed);
    strength_->setValue(weakened ? strength->second : 100.0);
    strength_->setVisible(group_.canBeWeakened && (weakened || (changed && !off)));
    strength_->setEnabled(!off);
}

} // namespace yolk::app
