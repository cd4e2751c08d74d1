#include "steps/mend_panel.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QShortcut>

#include <algorithm>

namespace yolk::app {
namespace {

const QStringList kOfChosen{QStringLiteral("source_x"), QStringLiteral("source_y"), QStringLiteral("turn"),
                            QStringLiteral("weave"), QStringLiteral("on")}; ///< rows that the next spots do not have

} // namespace

MendPanel::MendPanel(Document *document, QWidget *parent)
    : Panel(parent), document_(document), mends_(document->mends()), tool_(new MendTool(document, this)),
      controls_(this, [this](const StructControls<MendSpot>::Edit &edit, const QString &what,
                             const QString &gesture) { mends_->change(edit, what, gesture); }),
      hint_(new QLabel(this)), list_(new QListWidget(this)), nextSource_(new QPushButton(tr("Next source"), this)),
      remove_(new QPushButton(tr("Remove"), this)), spot_(new FoldGroup(tr("Next spot"), this)),
      listGroup_(new FoldGroup(tr("Mended"), this)), frame_(new QComboBox(this)),
      dustGroup_(new FoldGroup(tr("Dust"), this)), findDust_(new QPushButton(tr("Look for dust"), this)),
      takeAll_(new QPushButton(tr("Take all"), this)), refuseAll_(new QPushButton(tr("Take none"), this)),
      removeDust_(new QPushButton(tr("Remove"), this)), dustNote_(new QLabel(this)), dustList_(new QListWidget(this)),
      faint_(new QCheckBox(tr("Show faint marks"), this))
{
    hint_->setWordWrap(true);
    hint_->setForegroundRole(QPalette::PlaceholderText);
    hint_->setText(
        tr("Click on what should go, or draw along it. The best place to mend it from is found; its ring can "
           "be dragged elsewhere. Hold O to see the picture unmended."));
    add(hint_);
    forEachField(kMendSpotFields, [&](const auto &field) {
        constexpr double kMost = 500.0; // pixels; what is larger looks copied
        if (QWidget *control = field.key == "radius" ? controls_.make(field, kMost) : controls_.make(field))
            spot_->add(control);
    });
    frame_->setAccessibleName(tr("Frame to mend from"));
    frame_->setToolTip(tr("The frame that shows the place without what should go."));
    frame_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    frame_->setMinimumContentsLength(10);
    spot_->add(frame_);
    connect(frame_, &QComboBox::activated, this, [this](int index) {
        const std::string id = frame_->itemData(index).toString().toStdString();
        mends_->change([&](MendSpot &spot) { spot.frame = id; }, tr("frame to mend from"));
    });
    spot_->add(nextSource_);
    add(spot_);
    makeDust();
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
        if (!chosen)
            controls_.control(key)->hide();
    const MendSpot &shown = chosen ? *chosen : mends_->next();
    const bool fromFrame = isFromFrame(shown);
    nextSource_->setVisible(chosen);
    nextSource_->setText(fromFrame ? tr("Next frame") : isWoven(shown) ? tr("Weave anew") : tr("Next source"));
    nextSource_->setToolTip(fromFrame        ? tr("Mends the chosen spot from the next frame. J")
                            : isWoven(shown) ? tr("Weaves the chosen spot in another of eight ways. J")
                                             : tr("Mends the chosen spot from the next best place. J"));
    frame_->setVisible(fromFrame && document_->isOpen());
    if (fromFrame)
        refreshFrames();
    spot_->setName(chosen ? mends_->nameOf(mends_->chosenIndex()) : tr("Next spot"));
    listGroup_->setVisible(!mends_->all().empty());
    refreshList();
}

void MendPanel::refreshFrames()
{
    const MendSpot &shown = mends_->chosen() ? *mends_->chosen() : mends_->next();
    frame_->clear();
    if (!document_->isOpen())
        return;
    for (const BracketFrame *f : document_->bracket().used()) {
        frame_->addItem(document_->nameOf({ViewSource::Kind::Frame, f->frame->id}),
                        QString::fromStdString(f->frame->id));
        if (f->frame->id == shown.frame)
            frame_->setCurrentIndex(frame_->count() - 1);
    }
}

void MendPanel::makeDust()
{
    Dust *dust = document_->dust();
    findDust_->setToolTip(
        tr("Looks for specks that stay where they are on the sensor, and proposes them as broken rings."));
    takeAll_->setToolTip(tr("Mends all that is proposed: what the specks took of the light is given back."));
    refuseAll_->setToolTip(tr("Drops what is proposed."));
    removeDust_->setToolTip(tr("Removes the chosen speck from the list. Delete"));
    faint_->setToolTip(tr("Shows in grey what differs by a few percent from what lies round it. U"));
    dustNote_->setWordWrap(true);
    dustNote_->setForegroundRole(QPalette::PlaceholderText);
    dustList_->setAccessibleName(tr("Dust"));
    dustList_->setToolTip(tr("Specks on the sensor. A tick takes a proposed one, or switches one off and on."));
    dustList_->setUniformItemSizes(true);
    dustGroup_->add(findDust_);
    dustGroup_->add(faint_);
    dustGroup_->add(dustNote_);
    auto *both = new QWidget(this);
    auto *row = new QHBoxLayout(both);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(takeAll_);
    row->addWidget(refuseAll_);
    dustGroup_->add(both);
    dustGroup_->add(dustList_);
    dustGroup_->add(removeDust_);
    add(dustGroup_);

    connect(findDust_, &QPushButton::clicked, dust, &Dust::look);
    connect(takeAll_, &QPushButton::clicked, dust, &Dust::takeAll);
    connect(refuseAll_, &QPushButton::clicked, dust, &Dust::refuseAll);
    connect(faint_, &QCheckBox::clicked, this, [this](bool on) {
        document_->inspect(on ? std::optional(Inspection{.mode = InspectMode::Faint}) : std::nullopt);
    });
    connect(document_, &Document::lookChanged, this, &MendPanel::refreshDust);
    connect(dustList_, &QListWidget::itemChanged, this, [this, dust](QListWidgetItem *item) {
        if (filling_)
            return;
        const size_t index = size_t(dustList_->row(item)), taken = dust->taken().size();
        if (index >= taken)
            return dust->take(index - taken);
        DustSpot spot = dust->taken()[index];
        spot.on = item->checkState() == Qt::Checked;
        dust->set(index, spot, (spot.on ? tr("switch dust %1 on") : tr("switch dust %1 off")).arg(index + 1));
    });
    const auto remove = [this, dust] {
        const int index = dustList_->currentRow(), taken = int(dust->taken().size());
        if (index >= taken)
            dust->refuse(size_t(index - taken));
        else if (index >= 0)
            dust->remove(size_t(index));
    };
    connect(removeDust_, &QPushButton::clicked, this, remove);
    auto *gone = new QShortcut(QKeySequence::Delete, dustList_, nullptr, nullptr, Qt::WidgetShortcut);
    connect(gone, &QShortcut::activated, this, remove);
    connect(dust, &Dust::changed, this, &MendPanel::refreshDust);
    refreshDust();
}

void MendPanel::refreshDust()
{
    const Dust &dust = *document_->dust();
    const int taken = int(dust.taken().size()), proposed = int(dust.proposed().size()), count = taken + proposed;
    findDust_->setEnabled(document_->isOpen() && !dust.isLooking());
    faint_->setChecked(document_->inspection() && document_->inspection()->mode == InspectMode::Faint);
    takeAll_->parentWidget()->setVisible(proposed > 0);
    const QString specks = proposed == 1 ? tr("1 speck") : tr("%1 specks").arg(proposed);
    dustNote_->setVisible(proposed > 0 || dust.isLooking());
    dustNote_->setText(dust.isLooking() ? tr("Looking at the frames…")
                       : dust.isFromOtherSet()
                           ? tr("%1 of another set of this camera and day. A click on a ring takes it.").arg(specks)
                           : tr("%1 found. A click on a ring takes it.").arg(specks));
    filling_ = true;
    while (dustList_->count() > count)
        delete dustList_->takeItem(dustList_->count() - 1);
    while (dustList_->count() < count)
        (new QListWidgetItem(dustList_))->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
    for (int i = 0; i < count; ++i) {
        const bool isTaken = i < taken;
        dustList_->item(i)->setText(isTaken ? tr("Speck %1").arg(i + 1) : tr("Speck %1, proposed").arg(i + 1));
        dustList_->item(i)->setCheckState(isTaken && dust.taken()[size_t(i)].on ? Qt::Checked : Qt::Unchecked);
    }
    filling_ = false;
    constexpr int kShown = 8; // rows
    dustList_->setVisible(count > 0);
    removeDust_->setVisible(count > 0);
    dustList_->setFixedHeight(std::clamp(count, 1, kShown) * std::max(dustList_->sizeHintForRow(0), 20) +
                              2 * dustList_->frameWidth() + 2);
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
