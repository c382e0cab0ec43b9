<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Expression\Scope;
use Lighterman\Core\Treatment\Value\Sought;
use Lighterman\Core\Treatment\Value\Worker;

/** What the steps of a row are written into, as PHP. */
interface RowCode
{
    /** A line of PHP. */
    public function statement(string $php): void;

    /** Has a worker make the value of a variable, unless that is null. */
    public function work(string $variable, Worker $worker): void;

    /** What the step gives never holds anything that has to be escaped. */
    public function plain(): void;

    /** PHP that stands for an object. */
    public function tool(object $tool): string;

    /** The bytes of a secret of this name. */
    public function secret(string $name): string;

    /**
     * Finds values in another table.
     *
     * @param  int  $age  seconds for which an answer is good
     * @param  string|null|false  $else  what stands for a value that is not found; false where the record fails
     */
    public function lookup(Sought $in, int $age, string|null|false $else): Worker;

    /** @param  string|null  $variable  what `value` stands for; null where it stands for nothing */
    public function scopeFor(?string $variable, ?Type $type): Scope;
}
