#include "steps/movement_group.h"

#include "document/movement_text.h"
#include "widgets/number_text.h"
#include "widgets/panel.h"

#include <QButtonGroup>
#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QToolButton>

#include <algorithm>

namespace yolk::app {
namespace {

const auto &kMode = fieldOf<kMovementFields, &MovementSettings::mode>();
const auto &kSensitivity = fieldOf<kMovementFields, &MovementSettings::sensitivity>();
constexpr int kColumns = 6; // of keepers
constexpr QSize kThumbnail{30, 20};
constexpr int kKeeperHeight = 46;

QLabel *smallLabel(QWidget *parent)
{
    auto *label = new QLabel(parent);
    label->setWordWrap(true);
    return label;
}

SliderSpec brushSpec()
{
    SliderSpec spec = sliderSpec(fieldOf<kHandRegionFields, &HandRegion::radius>());
    spec.minimum = 2; // a file may say 0: round an area
    spec.maximum = 1000;
    return spec;
}

QComboBox *narrowBox(const QString &name, const QString &help, QWidget *parent)
{
    auto *box = new QComboBox(parent);
    box->setAccessibleName(name);
    box->setToolTip(help);
    box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon); // long names never widen it
    box->setMinimumContentsLength(6);
    return box;
}

} // namespace

MovementGroup::MovementGroup(Document *document, QWidget *parent)
    : FoldGroup(words(kMode.group), parent), document_(document), mode_(choiceRow(kMode, this)),
      sensitivity_(new ValueSlider(sliderSpec(kSensitivity), this)), keeperName_(new QLabel(tr("Keeper"), this)),
      keeperBox_(new QWidget(this)), keeperGrid_(new QGridLayout(keeperBox_)), keeper_(new QButtonGroup(this)),
      found_(smallLabel(this)), placeBox_(new QWidget(this)), placeName_(new QLabel(this)),
      placeWords_(smallLabel(this)), before_(new QToolButton(this)), next_(new QToolButton(this)),
      decision_(new QPushButton(tr("Decide"), this)), handName_(new QLabel(tr("By hand"), this)),
      source_(narrowBox(tr("Frame to take from"), tr("The frame that the next painted area is taken from."), this)),
      brush_(new ValueSlider(brushSpec(), this)), regions_(new QListWidget(this)), regionButtons_(new QWidget(this)),
      again_(new QPushButton(tr("Draw again"), this)), remove_(new QPushButton(tr("Remove"), this))
{
    keeperName_->setToolTip(tr("The frame that decides where a moved thing stands, wherever that frame holds it."));
    keeperGrid_->setContentsMargins(0, 0, 0, 0);
    keeperGrid_->setSpacing(4);
    keeper_->setExclusive(true);
    auto *steps = new QGridLayout(placeBox_);
    steps->setContentsMargins(0, 0, 0, 0);
    steps->setSpacing(6);
    before_->setText(QStringLiteral("←"));
    next_->setText(QStringLiteral("→"));
    before_->setToolTip(tr("The place before, at 100 %. Ctrl+,"));
    next_->setToolTip(tr("The next place, at 100 %. Ctrl+."));
    before_->setAccessibleName(tr("The place before"));
    next_->setAccessibleName(tr("The next place"));
    decision_->setToolTip(tr("Decides for this place by hand: it becomes an area in the list below."));
    decision_->setMenu(new QMenu(decision_));
    steps->addWidget(before_, 0, 0);
    steps->addWidget(next_, 0, 1);
    steps->addWidget(placeName_, 0, 2);
    steps->addWidget(decision_, 0, 3);
    steps->setColumnStretch(2, 1);
    steps->addWidget(placeWords_, 1, 0, 1, 4);
    auto *draw = new QWidget(this);
    auto *drawLayout = new QGridLayout(draw);
    drawLayout->setContentsMargins(0, 0, 0, 0);
    drawLayout->setSpacing(6);
    const std::array texts{tr("Treat only…"), tr("Leave alone…"), tr("Take from…"), tr("Remove…")};
    const QString round = tr("Draw round a part of the picture. %1.");
    const std::array ways{round, round, tr("Paint over a part of the picture. %1."), round};
    for (size_t i = 0; i < draw_.size(); ++i) {
        draw_[i] = new QPushButton(texts[i], this);
        draw_[i]->setToolTip(ways[i].arg(words(kHandTasks[i].help)));
        draw_[i]->setCheckable(true);
        connect(draw_[i], &QPushButton::clicked, this, [this, i](bool on) { ask(HandTask(i), on); });
    }
    drawLayout->addWidget(draw_[0], 0, 0);
    drawLayout->addWidget(draw_[1], 0, 1);
    drawLayout->addWidget(draw_[3], 1, 0, 1, 2);
    drawLayout->addWidget(draw_[2], 2, 0);
    drawLayout->addWidget(source_, 2, 1);
    drawLayout->setColumnStretch(0, 1);
    drawLayout->setColumnStretch(1, 1);
    regions_->setAccessibleName(tr("Areas drawn by hand"));
    regions_->setToolTip(tr("Areas drawn by hand; later ones win. The chosen one is marked on the picture."));
    regions_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto *buttons = new QGridLayout(regionButtons_);
    buttons->setContentsMargins(0, 0, 0, 0);
    buttons->setSpacing(6);
    buttons->addWidget(again_, 0, 0);
    buttons->addWidget(remove_, 0, 1);
    again_->setToolTip(tr("Draws the chosen area anew; what it is for stays."));
    remove_->setToolTip(tr("Removes the chosen area."));
    for (QWidget *widget : {static_cast<QWidget *>(mode_), static_cast<QWidget *>(found_), placeBox_,
                            static_cast<QWidget *>(sensitivity_), static_cast<QWidget *>(keeperName_), keeperBox_,
                            static_cast<QWidget *>(handName_), draw, static_cast<QWidget *>(brush_),
                            static_cast<QWidget *>(regions_), regionButtons_})
        add(widget);

    connect(mode_, &ChoiceRow::chosen, this, [this](int index) {
        set([index](Recipe &r) { r.movement.mode = kMovementModes[size_t(index)].value; }, tr("movement"));
    });
    connect(sensitivity_, &ValueSlider::changed, this, [this](double value, const QString &gesture) {
        set([value](Recipe &r) { r.movement.sensitivity = value; }, tr("sensitivity"), gesture);
    });
    connect(keeper_, &QButtonGroup::idClicked, this,
            [this](int id) { document_->setKeeper(id < 0 ? std::nullopt : std::optional(size_t(id))); });
    connect(before_, &QToolButton::clicked, this, [this] { stepPlace(-1); });
    connect(next_, &QToolButton::clicked, this, [this] { stepPlace(+1); });
    connect(regions_, &QListWidget::currentRowChanged, this, [this](int row) {
        regionButtons_->setEnabled(row >= 0);
        Q_EMIT shapesChanged();
    });
    connect(again_, &QPushButton::clicked, this, &MovementGroup::redraw);
    connect(remove_, &QPushButton::clicked, this, [this] {
        if (regions_->currentRow() >= 0)
            document_->removeRegion(size_t(regions_->currentRow()));
    });
    connect(document, &Document::bracketChanged, this, &MovementGroup::takeFrames);
    connect(document, &Document::recipeChanged, this, &MovementGroup::refresh);
    connect(document, &Document::thumbnailsChanged, this, &MovementGroup::refreshKeeper);
    connect(document, &Document::mergedChanged, this, &MovementGroup::refreshFound);
    connect(document, &Document::setChanged, this, [this] { place_.reset(); });
}

void MovementGroup::set(const std::function<void(Recipe &)> &change, const QString &what, const QString &gesture)
{
    Recipe next = document_->recipe();
    change(next);
    document_->setRecipe(next, what, gesture);
}

void MovementGroup::refresh()
{
    const Recipe &recipe = document_->recipe();
    setVisible(document_->bracket().used().size() > 1); // a single frame has nothing to move against
    mode_->setIndex(recipe.movement.mode == MovementMode::On ? 1 : 0);
    sensitivity_->setValue(recipe.movement.sensitivity);
    const bool on = recipe.movement.mode == MovementMode::On;
    for (QWidget *widget :
         {static_cast<QWidget *>(found_), static_cast<QWidget *>(sensitivity_), static_cast<QWidget *>(keeperName_),
          keeperBox_, static_cast<QWidget *>(handName_), draw_[0]->parentWidget(), static_cast<QWidget *>(brush_)})
        widget->setVisible(on);
    refreshRegions();
    refreshFound();
}

void MovementGroup::takeFrames()
{
    const int source = source_->currentData().isValid() ? source_->currentData().toInt() : -1;
    source_->clear();
    QMenu *choices = decision_->menu();
    choices->clear();
    choices->addAction(tr("Leave alone"), this, [this] { decide(HandTask::LeaveAlone, std::nullopt); });
    const Bracket &bracket = document_->bracket();
    for (size_t i = 0; i < bracket.frames.size(); ++i) {
        if (!bracket.frames[i].used)
            continue;
        source_->addItem(tr("Frame %1").arg(bracket.frames[i].number), int(i));
        choices->addAction(tr("Take from frame %1").arg(bracket.frames[i].number), this,
                           [this, i] { decide(HandTask::TakeFrom, i); });
        if (int(i) == source || (source < 0 && i == bracket.reference))
            source_->setCurrentIndex(source_->count() - 1);
    }
    choices->addAction(tr("Remove"), this, [this] { decide(HandTask::Remove, std::nullopt); });
    refreshKeeper();
    shown_.reset(); // areas name frames
    refresh();
}

void MovementGroup::refreshKeeper()
{
    if (!document_->isOpen())
        return;
    for (QAbstractButton *button : keeper_->buttons()) {
        keeper_->removeButton(button);
        button->hide();
        button->deleteLater(); // it may be the one that was clicked
    }
    const Bracket &bracket = document_->bracket();
    const std::string &chosen = document_->recipe().frames.keeper;
    int column = 0, row = 0;
    const auto place = [&](QToolButton *button, int id, bool checked, const QString &help) {
        button->setStyleSheet(QStringLiteral("padding: 3px 1px"));
        button->setCheckable(true);
        button->setChecked(checked);
        button->setToolTip(help);
        button->setAccessibleName(help);
        button->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
        keeper_->addButton(button, id);
        keeperGrid_->addWidget(button, row, column);
        if (++column == kColumns) {
            column = 0;
            ++row;
        }
    };
    for (int i = 0; i < kColumns; ++i)
        keeperGrid_->setColumnStretch(i, 1);
    const bool known = document_->numberOf(chosen).has_value();
    auto *automatic = new QToolButton(keeperBox_);
    automatic->setText(tr("Auto"));
    automatic->setFixedHeight(kKeeperHeight);
    place(automatic, kAutomaticKeeper, chosen.empty() || !known,
          tr("The frame that shows most of what moved; the reference frame where it does as well"));
    for (size_t i = 0; i < bracket.frames.size(); ++i) {
        const BracketFrame &f = bracket.frames[i];
        if (!f.used)
            continue;
        auto *button = new QToolButton(keeperBox_);
        button->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
        button->setText(QString::number(f.number));
        button->setIcon(QPixmap::fromImage(document_->thumbnail(f.frame->id)));
        button->setIconSize(kThumbnail);
        button->setFixedHeight(kKeeperHeight);
        place(button, int(i), f.frame->id == chosen, tr("Frame %1 decides where moved things stand").arg(f.number));
    }
}

void MovementGroup::refreshRegions()
{
    const auto &regions = document_->recipe().movement.regions;
    const std::pair now(document_->recipe().movement.mode, regions);
    if (shown_ == now)
        return;
    shown_ = now;
    const bool on = now.first == MovementMode::On;
    const int row = regions_->currentRow();
    regions_->blockSignals(true);
    regions_->clear();
    for (const HandRegion &region : regions)
        regions_->addItem(regionText(*document_, region));
    regions_->setCurrentRow(std::min(row, int(regions.size()) - 1));
    regions_->blockSignals(false);
    constexpr int kRow = 24, kMostRows = 5;
    regions_->setFixedHeight(kRow * std::clamp(int(regions.size()), 1, kMostRows) + 6);
    regions_->setVisible(on && !regions.empty());
    regionButtons_->setVisible(on && !regions.empty());
    regionButtons_->setEnabled(regions_->currentRow() >= 0);
    Q_EMIT shapesChanged();
}

void MovementGroup::refreshFound()
{
    const MergedSet *merged = document_->merged();
    const bool on = document_->isOpen() && document_->recipe().movement.mode == MovementMode::On;
    const bool known = on && merged && merged->frameIds.size() > 1;
    const std::vector<size_t> places = known ? placesToShow(*merged) : std::vector<size_t>();
    if (!known)
        found_->clear();
    else if (document_->recipe().movement.sensitivity <= 0.0 && places.empty())
        found_->setText(tr("Movement is not looked for."));
    else if (places.empty())
        found_->setText(tr("Nothing moved; movement is idle."));
    else {
        const int keeper = document_->numberOf(merged->frameIds[merged->movement.keeper]).value_or(0);
        const bool chosen = document_->numberOf(document_->recipe().frames.keeper).has_value();
        const auto others = std::ranges::count_if(places, [&](size_t i) {
            const MovedPlace &p = merged->movement.places[i];
            return !p.byHand && !p.removed && p.frame != merged->movement.keeper;
        });
        QString text = movementSummary(*merged) + QStringLiteral(". ") +
                       (chosen ? tr("Keeper: frame %1.") : tr("Keeper: frame %1, automatic.")).arg(keeper);
        if (others > 0)
            text += QLatin1Char(' ') +
                    (others == 1 ? tr("It does not hold 1 of them, which comes from another frame.")
                                 : tr("It does not hold %1 of them, which come from other frames.").arg(others));
        found_->setText(text);
    }
    placeBox_->setVisible(!places.empty());
    if (places.empty())
        return place_.reset();
    if (place_ && *place_ >= places.size())
        place_ = places.size() - 1;
    const size_t large = largePlaces(*merged);
    if (!place_)
        placeName_->setText(tr("%1 places").arg(large));
    else if (*place_ < large)
        placeName_->setText(tr("%1 of %2").arg(*place_ + 1).arg(large));
    else
        placeName_->setText(tr("small, %1 of %2").arg(*place_ + 1 - large).arg(places.size() - large));
    placeWords_->setVisible(place_.has_value());
    decision_->setVisible(place_.has_value());
    if (place_)
        placeWords_->setText(placeText(*document_, *merged, places[*place_]));
}

QString MovementGroup::found() const
{
    return found_->text();
}

QString MovementGroup::placeWords() const
{
    return place_ ? placeWords_->text() : QString();
}

void MovementGroup::stepPlace(int direction)
{
    const MergedSet *merged = document_->merged();
    const std::vector<size_t> places = merged ? placesToShow(*merged) : std::vector<size_t>();
    if (places.empty())
        return;
    const int count = int(places.size());
    place_ = place_ ? size_t((int(*place_) + direction + count) % count) : (direction > 0 ? 0 : size_t(count - 1));
    refreshFound();
    Q_EMIT placeAsked(document_->placeArea(places[*place_]));
}

void MovementGroup::decide(HandTask task, std::optional<size_t> frame)
{
    const MergedSet *merged = document_->merged();
    const std::vector<size_t> places = merged ? placesToShow(*merged) : std::vector<size_t>();
    if (place_ && *place_ < places.size())
        document_->decidePlace(places[*place_], task, frame);
}

void MovementGroup::ask(HandTask task, bool on)
{
    redrawn_.reset();
    asked_ = on ? std::optional(task) : std::nullopt;
    for (size_t i = 0; i < draw_.size(); ++i)
        draw_[i]->setChecked(on && i == size_t(task));
    Q_EMIT drawingAsked(on ? std::optional(task == HandTask::TakeFrom ? brush_->value() : 0.0) : std::nullopt);
}

void MovementGroup::redraw()
{
    const int row = regions_->currentRow();
    if (row < 0)
        return;
    const HandRegion &region = document_->recipe().movement.regions[size_t(row)];
    ask(region.task, true);
    redrawn_ = size_t(row);
}

void MovementGroup::setDrawing(bool drawing)
{
    if (drawing)
        return;
    asked_.reset();
    redrawn_.reset();
    for (QPushButton *button : draw_)
        button->setChecked(false);
}

void MovementGroup::take(const DrawnShape &shape)
{
    if (!asked_)
        return;
    HandRegion region;
    region.task = *asked_;
    region.radius = shape.radius;
    std::vector<Point> points;
    for (const QPointF &p : shape.points)
        points.push_back({p.x(), p.y()});
    region.points = std::move(points);
    const auto &regions = document_->recipe().movement.regions;
    if (redrawn_ && *redrawn_ < regions.size()) {
        const Bracket &bracket = document_->bracket();
        region.frame = regions[*redrawn_].frame;
        region.drawnOn = bracket.frames[bracket.reference].frame->id;
        document_->setRegion(*redrawn_, std::move(region));
    } else {
        if (region.task == HandTask::TakeFrom && source_->currentData().isValid())
            region.frame = document_->bracket().frames[size_t(source_->currentData().toInt())].frame->id;
        document_->addRegion(std::move(region));
        regions_->setCurrentRow(regions_->count() - 1);
    }
}

QList<DrawnShape> MovementGroup::shapes() const
{
    QList<DrawnShape> out;
    const auto &regions = document_->recipe().movement.regions;
    if (document_->isOpen() && document_->recipe().movement.mode == MovementMode::On)
        for (size_t i = 0; i < regions.size(); ++i)
            out << DrawnShape{document_->regionShape(i), regions[i].radius, int(i) == regions_->currentRow()};
    return out;
}

} // namespace yolk::app
