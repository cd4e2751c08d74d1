#include "compare_bar.h"

#include "widgets/choice_row.h"

#include <QActionGroup>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QToolButton>

namespace yolk::app {

CompareBar::CompareBar(Document *document, QWidget *parent)
    : QWidget(parent), document_(document), against_(new QToolButton(this)), menu_(new QMenu(this))
{
    auto *label = new QLabel(tr("Compare with"), this);
    against_->setPopupMode(QToolButton::InstantPopup);
    against_->setMenu(menu_);
    against_->setToolTip(tr("What the picture is held against. Hold B to flip to it."));
    against_->setStyleSheet(QStringLiteral("QToolButton { padding: 3px 22px 3px 10px; } QToolButton::menu-indicator { "
                                           "subcontrol-position: right center; right: 8px; }"));
    against_->setAccessibleName(tr("Compare with"));
    label->setBuddy(against_);
    way_ = new ChoiceRow(tr("Compare"),
                         {{tr("Off"), tr("Only the picture")},
                          {tr("Split"), tr("Both under a line that can be dragged and turned. D")},
                          {tr("Beside"), tr("Side by side, with one zoom. Shift+D")}},
                         this);
    auto *layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 12, 0);
    layout->setSpacing(8);
    layout->addWidget(label);
    layout->addWidget(against_);
    layout->addWidget(way_);
    connect(way_, &ChoiceRow::chosen, this, [this](int way) { document_->comparison()->setWay(CompareWay(way)); });
    connect(menu_, &QMenu::aboutToShow, this, &CompareBar::fillMenu);
    connect(document->comparison(), &Comparison::changed, this, &CompareBar::refresh);
    connect(document, &Document::bracketChanged, this, &CompareBar::refresh);
    connect(document, &Document::versionsChanged, this, &CompareBar::refresh);
    hide();
}

void CompareBar::setAway(bool away)
{
    isAway_ = away;
    refresh();
}

void CompareBar::refresh()
{
    setVisible(document_->isOpen() && !isAway_);
    if (!document_->isOpen())
        return;
    const Comparison &comparison = *document_->comparison();
    const QString name = document_->nameOf(comparison.against());
    against_->setText(fontMetrics().elidedText(name, Qt::ElideMiddle, 150));
    way_->setIndex(int(comparison.way()));
}

void CompareBar::fillMenu()
{
    menu_->clear();
    auto *group = new QActionGroup(menu_);
    const auto add = [&](const ViewSource &source) {
        QAction *action = menu_->addAction(document_->nameOf(source));
        action->setCheckable(true);
        action->setChecked(document_->comparison()->against() == source);
        group->addAction(action);
        connect(action, &QAction::triggered, this, [this, source] { document_->comparison()->setAgainst(source); });
    };
    using Kind = ViewSource::Kind;
    add({Kind::MiddleFrame});
    add({Kind::PlainMerge});
    add({Kind::Opening});
    add({Kind::Unmended});
    if (!document_->versions().isEmpty())
        menu_->addSeparator();
    for (int i = 0; i < int(document_->versions().size()); ++i)
        add({Kind::Version, {}, i});
    menu_->addSeparator();
    for (const BracketFrame &f : document_->bracket().frames)
        if (f.usable)
            add({Kind::Frame, f.frame->id});
    if (!document_->comparison()->against().file.empty())
        add(document_->comparison()->against());
    menu_->addAction(tr("A picture file…"), this, &CompareBar::fileAsked);
    menu_->addSeparator();
    QAction *asTaken = menu_->addAction(tr("Frames as they were taken"));
    asTaken->setCheckable(true);
    asTaken->setChecked(document_->comparison()->framesAsTaken());
    connect(asTaken, &QAction::triggered, this, [this](bool on) { document_->comparison()->setFramesAsTaken(on); });
}

} // namespace yolk::app
