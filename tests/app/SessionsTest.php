<?php

declare(strict_types=1);

namespace Tests\App;

use App\Models\AuditEntry;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Hash;
use PHPUnit\Framework\Attributes\Test;

/** Who is signed in, for how long, and what ends it. */
final class SessionsTest extends AppCase
{
    private function signsIn(string $password = 'a long enough one'): void
    {
        $this->flushSession();
        $this->next();
        $this->post('/sign-in', ['name' => 'engineer', 'password' => $password])->assertRedirect('/watch');
        $this->next();
    }

    /** Another request finds out anew who asks. */
    private function next(): void
    {
        app('auth')->forgetGuards();
    }

    private function isIn(): bool
    {
        $this->next();

        return $this->get('/feeds')->status() === 200;
    }

    #[Test]
    public function a_changed_password_or_role_ends_the_sessions_from_before(): void
    {
        $person = $this->engineer();
        foreach (['password' => 'another long one', 'role' => 'viewer', 'sees_personal' => true] as $what => $value) {
            $this->signsIn($what === 'password' ? 'a long enough one' : 'another long one');
            self::assertTrue($this->isIn());
            $person->refresh()->update([$what => $value]);
            self::assertFalse($this->isIn(), $what);
            self::assertFalse($this->isIn(), 'nor at the next try');
        }
        $this->get('/sign-in')->assertOk();
    }

    #[Test]
    public function ones_own_password_is_changed_knowing_the_present_one_and_only_the_others_end(): void
    {
        $this->engineer();
        $this->signsIn();
        foreach ([['current' => 'wrong', 'password' => 'another long one', 'again' => 'another long one'], ['current' => 'a long enough one', 'password' => 'short', 'again' => 'short'], ['current' => 'a long enough one', 'password' => 'another long one', 'again' => 'another long two']] as $bad) {
            $this->next();
            $this->post('/me/password', $bad)->assertSessionHasErrors();
            self::assertSame([], array_intersect(['wrong', 'short', 'another long one', 'another long two'], session()->getOldInput()));
        }
        $this->next();
        $this->post('/me/password', ['current' => 'a long enough one', 'password' => 'another long one', 'again' => 'another long one'])->assertSessionHasNoErrors();
        self::assertTrue($this->isIn(), 'the session it was changed in goes on');
        self::assertSame('changed the password of', AuditEntry::latest('id')->firstOrFail()->action);
        self::assertStringNotContainsString('long', json_encode(AuditEntry::latest('id')->firstOrFail(), JSON_THROW_ON_ERROR));
    }

    #[Test]
    public function who_does_nothing_and_who_has_been_in_for_long_signs_in_again(): void
    {
        $this->engineer();
        $this->signsIn();
        self::assertTrue($this->isIn());
        $this->travel(119)->minutes();
        $this->next();
        $this->withHeaders(['X-Part' => 'ruler'])->get('/parts/ruler')->assertOk();
        $this->flushHeaders();
        $this->travel(2)->minutes();
        self::assertFalse($this->isIn(), 'what a page does by itself keeps nobody signed in');

        $this->travelBack();
        $this->signsIn();
        for ($hour = 1; $hour <= 11; $hour++) {
            $this->travel(1)->hours();
            self::assertTrue($this->isIn());
        }
        $this->travel(61)->minutes();
        self::assertFalse($this->isIn());
    }

    #[Test]
    public function a_long_password_counts_to_its_end_and_hashes_of_before_are_still_taken(): void
    {
        $long = str_repeat('0123456789', 8);
        $person = $this->engineer();
        $person->update(['password' => $long]);
        $this->post('/sign-in', ['name' => 'engineer', 'password' => substr($long, 0, -1).'x'])->assertSessionHasErrors('name');
        $this->signsIn($long);
        self::assertTrue($this->isIn());

        DB::table('people')->where('id', $person->id)->update(['password' => password_hash('from long before', PASSWORD_BCRYPT)]);
        $this->signsIn('from long before');
        self::assertTrue($this->isIn());
        self::assertStringStartsWith('$argon2id$', $person->refresh()->password);
        self::assertTrue(Hash::check('from long before', $person->password));
    }
}
