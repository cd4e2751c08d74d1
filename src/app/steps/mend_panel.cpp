#include "steps/mend_panel.h"

#include <QGridLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QShortcut>

#include <algorithm>

namespace yolk::app {
namespace {

const QStringList kOfChosen{QStringLiteral("source_x"), QStringLiteral("source_y"), QStringLiteral("turn"),
                            QStringLiteral("on")}; ///< rows that the next spots do not have

} // namespace

MendPanel::MendPanel(Document *document, QWidget *parent)
    : Panel(parent), document_(document), mends_(document->mends()), tool_(new MendTool(document, this)),
      controls_(this, [this](const StructControls<MendSpot>::Edit &edit, const QString &what,
                             const QString &gesture) { mends_->change(edit, what, gesture); }),
      hint_(new QLabel(this)), list_(new QListWidget(this)), nextSource_(new QPushButton(tr("Next source"), this)),
      remove_(new QPushButton(tr("Remove"), this)), spot_(new FoldGroup(tr("Next spot"), this)),
      listGroup_(new FoldGroup(tr("Mended"), this))
{
    hint_->setWordWrap(true);
    hint_->setForegroundRole(QPalette::PlaceholderText);
    hint_->setText(
        tr("Click on what should go, or draw along it. The best place to mend it from is found; its ring can "
           "be dragged elsewhere."));
    add(hint_);
    forEachField(kMendSpotFields, [&](const auto &field) {
        constexpr double kMost = 500.0; // pixels; what is larger looks copied
        if (QWidget *control = field.key == "radius" ? controls_.make(field, kMost) : controls_.make(field))
            spot_->add(control);
    });
    nextSource_->setToolTip(tr("Mends the chosen spot from the next best place. J"));
    spot_->add(nextSource_);
    add(spot_);
    list_->setAccessibleName(tr("Spots"));
    list_->setToolTip(tr("What is mended, in its order. The tick switches one; Delete removes it."));
    list_->setUniformItemSizes(true);
    remove_->setToolTip(tr("Removes the chosen spot. Backspace"));
    listGroup_->add(list_);
    listGroup_->add(remove_);
    add(listGroup_);
    auto *again = new QPushButton(tr("Start again"), this);
    again->setToolTip(tr("Mends nothing."));
    connect(again, &QPushButton::clicked, document, [document] { document->startAgain(Step::Mend); });
    add(again);
    addStretch();

    connect(nextSource_, &QPushButton::clicked, mends_, &Mends::nextSource);
    connect(remove_, &QPushButton::clicked, this, [this] { mends_->remove(mends_->chosenIndex()); });
    auto *gone = new QShortcut(QKeySequence::Delete, list_, nullptr, nullptr, Qt::WidgetShortcut);
    connect(gone, &QShortcut::activated, remove_, &QPushButton::click);
    connect(list_, &QListWidget::currentRowChanged, this, [this](int index) {
        if (!filling_)
            mends_->choose(index);
    });
    connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem *item) {
        if (filling_)
            return;
        const int index = list_->row(item);
        MendSpot spot = mends_->all()[size_t(index)];
        spot.on = item->checkState() == Qt::Checked;
        mends_->set(index, spot, (spot.on ? tr("switch %1 on") : tr("switch %1 off")).arg(mends_->nameOf(index)));
    });
    for (const auto signal : {&Mends::changed, &Mends::chosenChanged, &Mends::nextChanged})
        connect(mends_, signal, this, &MendPanel::refresh);
    refresh();
}

void MendPanel::refresh()
{
    const MendSpot *chosen = mends_->chosen();
    controls_.show(chosen ? *chosen : mends_->next());
    for (const QString &key : kOfChosen)
        controls_.control(key)->setVisible(chosen);
    nextSource_->setVisible(chosen);
    spot_->setName(chosen ? mends_->nameOf(mends_->chosenIndex()) : tr("Next spot"));
    listGroup_->setVisible(!mends_->all().empty());
    refreshList();
}

void MendPanel::refreshList()
{
    filling_ = true;
    const int count = int(mends_->all().size());
    while (list_->count() > count)
        delete list_->takeItem(list_->count() - 1);
    while (list_->count() < count)
        (new QListWidgetItem(list_))->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
    for (int i = 0; i < count; ++i) {
        const MendSpot &spot = mends_->all()[size_t(i)];
        list_->item(i)->setText(mends_->nameOf(i));
        list_->item(i)->setCheckState(spot.on ? Qt::Checked : Qt::Unchecked);
    }
    list_->setCurrentRow(mends_->chosenIndex());
    constexpr int kShown = 8; // rows
    list_->setFixedHeight(std::clamp(count, 1, kShown) * std::max(list_->sizeHintForRow(0), 20) +
                          2 * list_->frameWidth() + 2);
    filling_ = false;
}

} // namespace yolk::app
