<script lang="ts"></script>

<h1>Page not found</h1>
<p class="mt-2">
  The address may be out of date. <a class="link" href="#/">Go to the overview</a>, or search at the
  top.
</p>
