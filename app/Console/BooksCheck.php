<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\Books;
use App\Models\Feed;
use App\Models\Receipt;
use App\Models\Run;

final class BooksCheck extends Told
{
    protected $signature = 'books:check {--json}';

    protected $description = 'Compares receipts, runs, hours and what was set aside with each other; fails if they do not agree';

    public function handle(): int
    {
        $wrong = Books::check();
        $this->rows($wrong, 'The books agree: '.number_format(Feed::count()).' feeds, '.number_format(Receipt::count()).' receipts, '.number_format(Run::count()).' runs.');

        return $wrong === [] ? self::SUCCESS : self::FAILURE;
    }
}
