<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Definition;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\FileReading;
use Lighterman\Core\Capture\Origin;
use Lighterman\Core\Capture\Watermark;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Definition\Schedule;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\Destination;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Partition;
use Lighterman\Core\Landing\Stamps;
use Lighterman\Core\Landing\Truncates;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\Treatment;

/** Definitions for tests, of which each says only what it is about. */
final class Definitions
{
    /**
     * @param  list<string>  $key
     * @param  list<string>  $leaveOut
     * @param  list<Partition>  $partitionBy
     */
    public static function of(
        string $name, TableName $source, Shape $shape, Capture $capture, array $key, Landing $landing, TableName $landed,
        ?string $watermark = null, bool $watermarkUnique = false, int $overlap = 0, array $leaveOut = [], ?FileReading $files = null,
        Deletes $deletes = Deletes::Apply, Truncates $truncates = Truncates::Hold, Stamps $stamps = new Stamps, bool $takeOver = false, array $partitionBy = [], FileWriting $writing = new FileWriting,
        Treatment $treatment = new Treatment, Schedule $schedule = new Schedule, int $promiseSeconds = 900,
    ): FeedDefinition {
        return new FeedDefinition(
            $name,
            new Origin($source, $shape, $capture, $key, $watermark === null ? null : new Watermark($watermark, $watermarkUnique, $overlap), $leaveOut, $files),
            new Destination($landed, $landing, $deletes, $truncates, $stamps, $takeOver, $partitionBy, $writing),
            $treatment, $schedule, $promiseSeconds,
        );
    }
}
