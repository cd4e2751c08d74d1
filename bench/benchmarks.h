// The benchmarks; each adds its numbers to the report. Names are those of the contract in the developer guide.
#pragma once

#include "report.h"

namespace yolk::bench {

/// first_picture_s.demo, first_picture_s.5x24mp, ui_block_ms_max, preview.slider_ms_median, preview.slider_ms_p95
void benchWindow(Report &report, const std::string &folder);
void benchSliders(Report &report, const std::string &folder);
/// canvas.pan_ms_median and its kin, canvas.extra_mib: a picture of 100 megapixels; 8 GiB
void benchCanvas(Report &report, const std::string &folder);
/// merge.time_ratio_opencv_debevec.3x24mp and its kin, merge.peak_gib.3x24mp
void benchMerge(Report &report, const std::string &folder);
/// The same of 9 frames of 24 and of 45 megapixels, and how the cost grows: some ten minutes, 12 GiB
void benchLargeMerge(Report &report, const std::string &folder);
/// merge.crb_ratio_max and its kin, merge.bias_max
void benchLimit(Report &report, const std::string &folder);
/// merge.pu21_gain_db_min, and the table of all cases
void benchQuality(Report &report, const std::string &folder);

/// align.median_px, align.p95_px, align.failures and their kin, align.time_ratio_opencv_mtb.3x24mp; some ten minutes,
/// as each of the next three
void benchAlign(Report &report, const std::string &folder);
/// align.median_px.4ev and its kin
void benchAlignFarApart(Report &report, const std::string &folder);
/// align.median_px.jpeg and its kin
void benchAlignJpeg(Report &report, const std::string &folder);
/// align.median_px.bayer and its kin
void benchAlignBayer(Report &report, const std::string &folder);
/// align.pu21_gain_db, align.pu21_tripod_loss_db, align.identical_loss_db
void benchParallax(Report &report, const std::string &folder);
/// movement.within_quarter_stop and its parts, movement.static_loss_db,
/// movement.with_merge_time_ratio_opencv_debevec.3x24mp
void benchMovement(Report &report, const std::string &folder);

/// start.local.lost_percent_p95 and its kin: the automatic start on scenes of which everything is held
void benchStart(Report &report, const std::string &folder);
/// tone.overshoot_percent and the other figures on known scenes
void benchTone(Report &report, const std::string &folder);
/// tone.tmqi_mean, tone.tmqi_best_opencv, tone.tmqi_wins
void benchToneQuality(Report &report, const std::string &folder);
/// tone.local_time_ratio_opencv_drago.24mp, preview.view.* and their kin
void benchToneTime(Report &report, const std::string &folder);
/// chain.time_ratio_opencv.3x24mp and its kin
void benchChain(Report &report, const std::string &folder);

/// whole.*: things that move, automatic and with a keeper chosen by hand; 200 unseen worlds, half an hour
void benchWhole(Report &report, const std::string &folder);
/// lights.*: rooms between a lamp and a window, two clicks
void benchLights(Report &report, const std::string &folder);
/// straighten.*: walls seen askew, straightened by themselves
void benchStraighten(Report &report, const std::string &folder);
/// geometry.export_ratio, areas.export_ratio: what they cost in a file of 24 megapixels
void benchExport(Report &report, const std::string &folder);
/// deliver.tiff_ratio, deliver.jpeg_ratio: a file over its picture and its codec; deliver.stop_ms
void benchDeliver(Report &report, const std::string &folder);
/// areas.*: things painted over roughly, kept to their edges
void benchAreas(Report &report, const std::string &folder);
/// finish.*: noise and veils taken out of unseen worlds, and what the Finish step costs in a file of 24 megapixels
void benchFinish(Report &report, const std::string &folder);
/// mend.*: dust on unseen worlds against the truth, and how long a spot and a stroke take
void benchMend(Report &report, const std::string &folder);
/// dust.*: dust on the sensor of unseen hand-held worlds: what is found, what is wrong, how true the light is
void benchDust(Report &report, const std::string &folder);
/// worlds.*: two hundred worlds that nobody has seen, and the same merge told the truth; an hour
void benchWorlds(Report &report, const std::string &folder);

} // namespace yolk::bench
