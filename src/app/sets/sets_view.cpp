#include "sets/sets_view.h"

#include <QLabel>
#include <QVBoxLayout>

namespace yolk::app {

SetsView::SetsView(Collection *collection, PresetShelf *presets, ExportShelf *exports, int panelWidth, QWidget *parent)
    : QWidget(parent), collection_(collection), run_(new SetRun(this)), grid_(new SetGrid(collection, this)),
      frames_(new FramesStrip(collection, this)), panel_(new SetsPanel(collection, presets, exports, run_, this)),
      heading_(new QLabel(this))
{
    setObjectName(QStringLiteral("setsView"));
    panel_->setFixedWidth(panelWidth);
    panel_->setStyleSheet(QStringLiteral("#setsPanel { background: palette(alternate-base); }"));
    panel_->setAutoFillBackground(true);
    auto *left = new QVBoxLayout;
    left->setSpacing(0);
    auto *head = new QHBoxLayout; // a label's own margins go when the theme changes
    head->setContentsMargins(14, 10, 14, 6);
    head->addWidget(heading_);
    left->addLayout(head);
    left->addWidget(grid_, 1);
    left->addWidget(frames_);
    auto *all = new QHBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    all->addLayout(left, 1);
    all->addWidget(panel_);
    setFocusProxy(grid_);
    connect(grid_, &SetGrid::openAsked, this, &SetsView::openAsked);
    connect(grid_, &SetGrid::selectionIsNew, this, &SetsView::refresh);
    connect(grid_, &SetGrid::joinAsked, this, &SetsView::joinSelected);
    connect(grid_, &SetGrid::rated, this, [this](int eggs) { Q_EMIT ratingAsked(grid_->selected(), eggs); });
    connect(grid_, &SetGrid::choosingAsked, this, [this] { Q_EMIT choosingAsked(grid_->selected()); });
    connect(panel_, &SetsPanel::filterChanged, this, [this](const SetFilter &filter) {
        grid_->cards()->setFilter(filter);
        refresh();
    });
    connect(collection, &Collection::changed, this, &SetsView::refresh);
    connect(collection, &Collection::cardsChanged, this, &SetsView::refresh);
    connect(run_, &SetRun::changed, this, &SetsView::showProgress);
    refresh();
}

QString SetsView::heading() const
{
    return heading_->text();
}

void SetsView::setCurrent(int set)
{
    grid_->cards()->setCurrent(set);
}

QList<int> SetsView::actedOn() const
{
    const QList<int> selected = grid_->selected();
    return selected.size() > 1 ? selected : grid_->shown();
}

void SetsView::refresh()
{
    qsizetype frames = 0;
    for (const QStringList &set : collection_->sets())
        frames += set.size();
    const qsizetype shown = grid_->shown().size(), all = collection_->sets().size();
    heading_->setText(tr("<b>%1 sets of %2 frames</b>").arg(all).arg(frames) +
                      (shown < all ? tr(" · %1 shown").arg(shown) : QString()));
    frames_->show(grid_->currentSet());
    panel_->refresh(int(grid_->selected().size()), int(shown));
}

void SetsView::joinSelected()
{
    QList<int> sets = grid_->selected();
    if (sets.size() == 1)
        sets << sets.front() + 1;
    if (sets.size() > 1)
        collection_->join(sets);
}

void SetsView::showProgress()
{
    QHash<int, SetProgress> out;
    const BatchProgress &progress = run_->progress();
    using State = SetProgress::State;
    if (run_->isRunning())
        for (const BatchJob &job : run_->jobs())
            out[job.number - 1] = {State::Waiting, 0.0, {}};
    for (const auto &[number, fraction] : progress.underWay)
        out[number - 1] = {State::UnderWay, fraction, {}};
    for (const JobResult &result : run_->results())
        out[result.number - 1] = {result.error.empty() ? State::Done : State::Failed, 1.0,
                                  QString::fromStdString(result.error)};
    grid_->cards()->setProgress(out);
}

} // namespace yolk::app
